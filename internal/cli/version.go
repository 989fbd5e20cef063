package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"runtime/debug"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/api"
	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
)

// built says which program this is, as version prints it.
type built struct {
	Version string `json:"version"`
	Commit  string `json:"commit"`  // it was built from; "": not known
	Date    string `json:"date"`    // of the commit, RFC 3339; "": not known
	Changed bool   `json:"changed"` // files differed from the commit
	Go      string `json:"go"`
}

// builtAs reads what the Go toolchain wrote into the program.
func builtAs(info *debug.BuildInfo) built {
	b := built{Version: api.Version}
	if info == nil {
		return b
	}
	b.Go = info.GoVersion
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			b.Commit = s.Value
		case "vcs.time":
			b.Date = s.Value
		case "vcs.modified":
			b.Changed = s.Value == "true"
		}
	}
	return b
}

// String is what version prints.
func (b built) String() string {
	s := "firethorn " + b.Version
	if b.Commit != "" {
		day, _, _ := strings.Cut(b.Date, "T")
		s += ", commit " + b.Commit[:min(len(b.Commit), 12)] + " of " + show.OrDash(day)
	}
	if b.Changed {
		s += ", with changes that are not in it"
	}
	if b.Go != "" {
		s += ", " + b.Go
	}
	return s
}

func versionCommand() *cli.Command {
	return &cli.Command{Name: "version", Usage: "print the version, and the commit and date it was built from",
		Action: func(_ context.Context, c *cli.Command) error {
			info, _ := debug.ReadBuildInfo()
			b := builtAs(info)
			raw, err := json.Marshal(b)
			if err != nil {
				return err
			}
			return command.Print(c, append(raw, '\n'), b, func(out io.Writer, b built) { fmt.Fprintln(out, b) })
		}}
}
