// Package plainscan holds tests alone: random searches, each compared with a plain scan
// of the same events, while everything happens to them that can.
package plainscan
