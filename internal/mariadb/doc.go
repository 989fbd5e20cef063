// Package mariadb keeps Firethorn's records in MariaDB through database/sql.
// All SQL stands here, one file for each aggregate; it knows nothing of HTTP
// or of the terminal. The schema is migrate/*.sql, frozen once released.
//
// Reading order: Open, InTx, then file.go, which files a batch of events in
// one transaction.
//
// Lock order within a transaction, so that none waits for another in a
// circle: shard_lease, project_counter, app_release, environment, resource,
// issue, issue_list, alias, variant, exemplar, event, event_body, odd_event,
// issue_user, issue_user_day, issue_user_env, issue_hour, issue_day,
// issue_trend, issue_release, issue_env, history, inbox. Rows of one table
// are written sorted by key.
package mariadb
