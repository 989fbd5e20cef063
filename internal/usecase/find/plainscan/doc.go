// Package plainscan has tests only: random searches, each compared with a plain scan of the same
// events while the index changes.
package plainscan
