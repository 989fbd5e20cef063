package symbols

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stamp"
)

func stampCommand() *cli.Command {
	return &cli.Command{Name: "stamp", Usage: "write matching debug ids into bundles and their maps",
		Description: "A debug id connects a bundle with its map, wherever it is served. It is added after the code, so that no position changes. Run it after\n" +
			"all steps that change the files, and before hashes, signatures and compressed copies are made. Files whose hash\n" +
			"is stored below DIR, signed files, and files with a compressed copy are skipped and listed. Running it twice changes nothing.",
		Arguments: []cli.Argument{command.Text("dir")},
		Flags: []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "also stamp files that would be skipped"},
			&cli.BoolFlag{Name: "dry-run", Usage: "change nothing, print what would be done"}},
		Action: func(_ context.Context, c *cli.Command) error {
			dir, err := command.Arg(c, "dir")
			if err != nil {
				return err
			}
			list, err := stampDir(dir, c.Bool("all"), c.Bool("dry-run"))
			if err != nil {
				return err
			}
			return showStamped(c.Root().Writer, list, c.String("format") == "json", dir, c.Bool("dry-run"))
		}}
}

// stamped is what became of one generated file.
type stamped struct {
	File    string `json:"file"`
	DebugID string `json:"debug_id,omitempty"`
	Done    string `json:"done"` // stamped, already, left alone, no map
	Why     string `json:"why,omitempty"`
}

// What becomes of a file.
const (
	doneStamped = "stamped"
	doneAlready = "already"
	doneAlone   = "left alone"
	doneNoMap   = "no map"
)

func stampDir(dir string, all, dry bool) ([]stamped, error) {
	paths, err := generatedFiles(dir)
	if err != nil {
		return nil, err
	}
	written, err := writtenHashes(dir)
	if err != nil {
		return nil, err
	}
	var out []stamped
	for _, rel := range paths {
		x, err := stampFile(filepath.Join(dir, filepath.FromSlash(rel)), written, all, dry)
		if err != nil {
			return out, fmt.Errorf("%s: %w", rel, err)
		}
		x.File = rel
		out = append(out, x)
	}
	return out, nil
}

func stampFile(path string, written hashes, all, dry bool) (out stamped, err error) {
	code, err := os.ReadFile(path)
	if err != nil {
		return out, err
	}
	raw, mapFile, err := findMap(path, code)
	if err != nil {
		return out, err
	}
	if raw == nil {
		return stamped{Done: doneNoMap, Why: "it has no source map: there is nothing to tie it to"}, nil
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return out, problem.Wrap("symbols", problem.MapBroken, err, "%s is no good source map: %v",
			show.OrElse(mapFile, path),
			err)
	}
	id := stamp.ID(code)
	switch {
	case id == "" && m.DebugID != "":
		id = strings.ToLower(m.DebugID)
	case id == "":
		id = stamp.Derive(code, raw)
	}
	if stamp.Whole(code) && m.DebugID == id {
		return stamped{DebugID: id, Done: doneAlready}, nil
	}
	if why := breaks(path, code, written); why != "" && !all {
		return stamped{Done: doneAlone, Why: why}, nil
	}
	out = stamped{DebugID: id, Done: doneStamped}
	if dry {
		return out, nil
	}
	if mapFile == "" { // the map stands in the file: first it, then the code around it
		if code, err = stamp.Inline(code, id); err != nil {
			return out, err
		}
		return out, replace(path, stamp.Code(code, id))
	}
	raw, err = stamp.Map(raw, id)
	if err != nil {
		return out, problem.Wrap("symbols", problem.MapBroken, err, "%s: %v", mapFile, err)
	}
	// The map first: a bundle whose map lacks its id would be of no use.
	if err := replace(mapFile, raw); err != nil {
		return out, err
	}
	return out, replace(path, stamp.Code(code, id))
}

// replace writes a file again, whole or not at all, with its rights.
func replace(path string, raw []byte) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	tmp, err := os.CreateTemp(filepath.Dir(path), ".stamp-*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	if _, err := tmp.Write(raw); err != nil {
		return err
	}
	if err := tmp.Chmod(info.Mode().Perm()); err != nil {
		return err
	}
	if err := tmp.Close(); err != nil {
		return err
	}
	return os.Rename(tmp.Name(), path)
}

func showStamped(out io.Writer, list []stamped, asJSON bool, dir string, dry bool) error {
	n := map[string]int{}
	for _, x := range list {
		n[x.Done]++
	}
	if asJSON {
		if err := json.NewEncoder(out).Encode(map[string]any{"files": list}); err != nil {
			return err
		}
	} else {
		for _, x := range list {
			if x.Done == doneAlone {
				fmt.Fprintf(out, "! left alone: %s, for %s\n", show.Plain(x.File), show.Plain(x.Why))
			}
		}
		word := "stamped"
		if dry {
			word = "would be stamped"
		}
		fmt.Fprintf(out, "%s %s, %d stamped already, %d without a map\n", files(n[doneStamped]), word, n[doneAlready],
			n[doneNoMap])
	}
	switch {
	case n[doneAlone] > 0:
		return problem.New(problem.AnswerIsNo, "%s left alone: stamp before hashes, signatures and compressed copies are made, or give --all and make these anew", files(n[doneAlone]))
	case n[doneStamped]+n[doneAlready] == 0:
		return problem.New(problem.AnswerIsNo, "no JavaScript file with a source map is below %s; let the build write maps, next to the files or named in them", dir)
	}
	return nil
}
