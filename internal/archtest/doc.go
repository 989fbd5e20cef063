// Package archtest tests the architecture: allowed imports, and what the core must not do.
package archtest
