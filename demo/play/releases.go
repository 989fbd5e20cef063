package main

import (
	"context"
	"time"

	"firethorn/demo/replay"
)

// release is what a build made of a commit, brought to production some time ago.
type release struct {
	project, version, commit string
	newer                    bool
}

var releases = []release{
	{"quayside", "4.2.0", "3b1f0c9a7d52e84466f1c0de9ab27735514f8e02", false}, {"gangway", "2.8.0", "a90c4e17b6f23d8855c1099e7fd0426b1c3e5a78", false},
	{"quayside", "4.2.1", "c47d81e2f09b365a1d8e7740bb93fa6612c05d3f", true}, {"gangway", "2.9.0", "5e82fb30d1c6a94f7b20e8d35c9147fa06bb1d94", true},
}

// release announces the older or the newer releases as their builds do, and
// marks them as deployed.
func (d *demo) release(ctx context.Context, newer bool, now time.Time) error {
	at := now.Add(-14 * 24 * time.Hour)
	if newer {
		at = now.Add(-replay.NewReleaseAge)
	}
	for _, r := range releases {
		if r.newer != newer {
			continue
		}
		var t struct {
			Token string `json:"token"`
		}
		if err := d.json(ctx, &t, "token", "create", "build of "+r.project+" "+r.version, "--scope", "build", "--project", r.project); err != nil {
			return err
		}
		if err := d.do(ctx, "--token", t.Token, "release", "announce", "--project", r.project, "--release", r.version, "--commit", r.commit); err != nil {
			return err
		}
		if err := d.do(ctx, "--token", t.Token, "release", "mark-deployed", "--project", r.project, "--release", r.version, "--environment", "production", "--at", at.UTC().Format(time.RFC3339)); err != nil {
			return err
		}
	}
	return nil
}
