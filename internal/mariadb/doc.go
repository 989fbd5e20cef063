// Package mariadb keeps Firethorn's records in MariaDB through database/sql.
// All SQL stands here, one file for each aggregate; it knows nothing of HTTP
// or of the terminal. The schema is migrate/*.sql, frozen once released.
//
// Reading order: Open and InTx (store.go); append.go, into the inbox; inbox.go
// and lease.go, who takes what in hand; file.go, which files a batch of events
// in one transaction; move.go and follow.go, merges; retention.go; recount.go.
//
// Lock order within a transaction, so that none waits for another in a
// circle: shard_lease, project_counter, and all else under that row's lock, of
// which move, issue and issue_list come before variant, event and what is
// derived, and inbox and claim last. Rows of one table are written sorted by
// key.
package mariadb
