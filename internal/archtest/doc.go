// Package archtest holds the rules of the tree as tests: who may import whom,
// and what the core must not do.
package archtest
