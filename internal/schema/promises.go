package schema

import (
	"context"

	"firethorn/internal/core/problem"
)

// Promises are the settings of the server that durability depends on.
type Promises struct {
	Flush       int64 // innodb_flush_log_at_trx_commit: 1 syncs every commit
	Doublewrite bool
	Packet      int64 // max_allowed_packet
	Version     string
}

// Promises asks the server for its settings.
func (s *Schema) Promises(ctx context.Context) (Promises, error) {
	var p Promises
	err := s.db.QueryRowContext(ctx, "SELECT @@innodb_flush_log_at_trx_commit, @@innodb_doublewrite, @@max_allowed_packet, @@version").Scan(&p.Flush, &p.Doublewrite, &p.Packet, &p.Version)
	return p, err
}

// checkPromises refuses a server that does not keep what a 202 promises.
func (s *Schema) checkPromises(ctx context.Context) error {
	p, err := s.Promises(ctx)
	if err != nil {
		return err
	}
	if p.Flush != 1 {
		return problem.New(problem.NoDatabase, "the database has innodb_flush_log_at_trx_commit=%d: a stored event could be lost in a crash; set it to 1", p.Flush)
	}
	if p.Packet < 16<<20 {
		return problem.New(problem.NoDatabase, "the database has max_allowed_packet=%d; set it to 64M at least", p.Packet)
	}
	return nil
}
