package localdb

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/problem"
)

// A server that crashes while it makes its own tables is started again; one
// that says what is wrong is not.
func TestStart_TriesAgainAfterACrash(t *testing.T) {
	server, err := program("mariadbd")
	if err != nil {
		t.Skip(err)
	}
	for name, c := range map[string]struct {
		broken string // what the first runs do instead
		runs   int    // how many of them
		starts bool
		tries  string
	}{
		"two crashes":   {"kill -SEGV $$", 2, true, "..."},
		"three crashes": {"kill -SEGV $$", 3, false, "..."},
		"a refusal":     {"echo the disk is full; exit 1", 1, false, "."},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			script := strings.NewReplacer("COUNT", filepath.Join(dir, "count"), "RUNS", strings.Repeat(".", c.runs), "BROKEN", c.broken, "REAL", server).Replace(`#!/bin/sh
case "$*" in *--bootstrap*) printf . >> COUNT; case RUNS in $(cat COUNT)*) BROKEN;; esac;; esac
exec REAL "$@"
`)
			if err := os.WriteFile(filepath.Join(dir, "mariadbd"), []byte(script), 0o755); err != nil {
				t.Fatal(err)
			}
			t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
			s, err := Start(t.Context(), Options{Dir: filepath.Join(dir, "db"), BufferPool: "32M", LogSize: "16M"})
			if err == nil {
				t.Cleanup(func() {
					ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
					defer cancel()
					if err := s.Stop(ctx); err != nil {
						t.Error(err)
					}
				})
			}
			if (err == nil) != c.starts || err != nil && !refused(err) {
				t.Errorf("Start = %v, want it to start: %v", err, c.starts)
			}
			if tries, _ := os.ReadFile(filepath.Join(dir, "count")); string(tries) != c.tries {
				t.Errorf("the creation was begun %d times, want %d", len(tries), len(c.tries))
			}
		})
	}
}

func refused(err error) bool {
	f, ok := errors.AsType[*problem.Error](err)
	return ok && f.Code == problem.NoDatabase
}

// Servers that start beside each other leave each other's temporary tables alone.
func TestStart_ManyAtOnce(t *testing.T) {
	if _, err := program("mariadbd"); err != nil {
		t.Skip(err)
	}
	for range 8 {
		t.Run("", func(t *testing.T) {
			t.Parallel()
			s, err := Start(t.Context(), Options{Dir: t.TempDir(), BufferPool: "16M", LogSize: "8M"})
			if err != nil {
				t.Fatal(err)
			}
			if err := s.Stop(context.Background()); err != nil {
				t.Error(err)
			}
		})
	}
}
