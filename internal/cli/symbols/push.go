package symbols

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/shell"
)

func pushCommand() *cli.Command {
	return &cli.Command{Name: "push", Usage: "push the bundles and source maps of a release",
		Description: "Pushes .js, .mjs and .cjs files below DIR with their maps, and maps without files. Files that the\n" +
			"project already has are not sent again, and an interrupted push continues. Nothing is overwritten.\n\n" +
			"--served-at is the URL or path where DIR is served. * matches any characters, so that one push serves many hosts:\n" +
			"  firethorn symbols push --release 4.2.1 --served-at 'https://*.quayside.example/assets' dist/assets",
		Arguments: []cli.Argument{command.Text("dir")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "release", Usage: "their release `R`, as the application reports it",
				Required: true},
			&cli.StringFlag{Name: "served-at", Usage: "the `URL` (or path) where DIR is served; * matches any characters"},
			&cli.StringFlag{Name: "on-failure", Value: "fail",
				Usage: "if the push fails: `fail`, or warn and exit with 0",
				Validator: func(s string) error {
					if s != "fail" && s != "warn" {
						return command.Usage("--on-failure is fail or warn, not %q", s)
					}
					return nil
				}},
			&cli.IntFlag{Name: "parallel", Value: 4, Usage: "number of parallel requests"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			err := pushSymbols(ctx, c)
			if err != nil && c.String("on-failure") == "warn" && command.CodeOf(err) != command.ExitUse {
				fmt.Fprintf(c.Root().ErrWriter, "firethorn: symbols were not pushed, and the build goes on all the same: %v\n", command.Explain(err))
				return nil
			}
			return err
		}}
}

// pushed is what a push answers: what the service says of it all, and what was sent.
type pushed struct {
	contract.Pushed
	Release   string `json:"release"`
	Files     int    `json:"files"`
	Sent      int    `json:"sent"`       // contents that the project did not hold
	SentBytes int64  `json:"sent_bytes"` // over the wire
}

// filesAtOnce is how many files one request announces.
const filesAtOnce = 2000

func pushSymbols(ctx context.Context, c *cli.Command) error {
	dir, err := command.Arg(c, "dir")
	if err != nil {
		return err
	}
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	began := time.Now()
	found, err := scanBundles(ctx, dir)
	if err != nil {
		return err
	}
	if len(found.list) == 0 {
		return problem.New(problem.AnswerIsNo, "no source map and no JavaScript file with one is below %s (%d files without one); let the build write maps, next to the files or named in them", dir, len(found.without))
	}
	base := "/api/projects/" + url.PathEscape(project) + "/symbols"
	s := &sender{c: cl, base: base, parallel: max(c.Int("parallel"), 1)}
	if err := s.send(ctx, c, found.list); err != nil {
		return err
	}
	sum := pushed{Release: c.String("release"), Files: len(found.list), Sent: s.contents, SentBytes: s.bytes}
	sum.Builds, sum.Broken = []string{}, []string{}
	for chunk := range slices.Chunk(found.list, filesAtOnce) {
		announced := contract.PushSymbols{Release: sum.Release}
		for _, b := range chunk {
			announced.Files = append(announced.Files,
				contract.SymbolFile{Address: servedAt(c.String("served-at"), b.Path), Bundle: b.CodeHash, Map: b.MapSum,
					DebugID: b.DebugID})
		}
		var one contract.Pushed
		if _, err := cl.Call(ctx, http.MethodPost, base, announced, &one); err != nil {
			return err
		}
		sum.Added, sum.Already, sum.Waiting = sum.Added+one.Added, sum.Already+one.Already, sum.Waiting+one.Waiting
		sum.Builds, sum.Broken = append(sum.Builds, one.Builds...), append(sum.Broken, one.Broken...)
	}
	out := c.Root().Writer
	if c.String("format") == "json" {
		return json.NewEncoder(out).Encode(sum)
	}
	p := &push{project: project, base: c.String("served-at"), pushed: sum, found: found, sent: s.sent}
	p.show(out, time.Since(began))
	return nil
}

// maxListed is how many files a push lists one by one.
const maxListed = 40

// push is a push that was done, to be shown.
type push struct {
	project, base string // base: where the files are served
	pushed        pushed
	found         bundles
	sent          map[string]bool // hashes of what was sent now
}

func (p *push) show(out io.Writer, took time.Duration) {
	sum, found, project := p.pushed, p.found, p.project
	if len(found.list) <= maxListed {
		show.Table(out, func(row func(...any)) {
			row("FILE", "BUNDLE", "MAP", "SOURCES", "DEBUG ID", "SENT")
			for _, b := range found.list {
				word := "there already"
				if p.sent[b.CodeHash] || p.sent[b.MapSum] {
					word = "now"
				}
				code := "-"
				if b.file != "" {
					code = show.Size(b.CodeBytes)
				}
				row(servedAt(p.base, b.Path), code, show.Size(b.MapBytes), b.Sources, show.OrDash(b.DebugID), word)
			}
		})
	}
	fmt.Fprintf(out, "%s %s: %s new, %s there already; %s sent, %s in %s", project, sum.Release, files(sum.Added),
		files(sum.Already), contents(sum.Sent), show.Size(sum.SentBytes), took.Round(10*time.Millisecond))
	if len(found.without) > 0 {
		fmt.Fprintf(out, "; without a map: %s",
			show.Plain(strings.Join(found.without[:min(len(found.without), 10)], ", ")))
		if n := len(found.without) - 10; n > 0 {
			fmt.Fprintf(out, " and %d more", n)
		}
	}
	fmt.Fprintln(out)
	alone := 0
	for _, b := range found.list {
		if b.file == "" {
			alone++
		}
	}
	if alone > 0 {
		fmt.Fprintf(out, "%d %s came without the generated file: function names are those of the sources whose text the map brings\n", alone, show.Plural(alone, "map", "maps"))
	}
	if sum.Waiting > 0 {
		fmt.Fprintf(out, "%s %s prepared in the background: firethorn symbols check --project %s %s says when they are\n", files(sum.Waiting), show.Plural(sum.Waiting, "is", "are"), project, shell.Option("--release", sum.Release))
	}
	for _, b := range found.list {
		if b.Dropped > 0 {
			fmt.Fprintf(out, "! %s: %d %s of its map name what is not there, and are let go; the rest holds\n",
				show.Plain(b.Path), b.Dropped, show.Plural(b.Dropped, "segment", "segments"))
		}
	}
	for _, why := range sum.Broken {
		fmt.Fprintf(out, "! the map %s\n", show.Plain(why))
	}
	for _, address := range sum.Builds {
		fmt.Fprintf(out, "! release %s has several builds of %s now, and nothing distinguishes them: stamp them (firethorn symbols stamp DIR), or give each a release of its own\n", show.Plain(sum.Release), show.Plain(address))
	}
}

func files(n int) string    { return fmt.Sprintf("%d %s", n, show.Plural(n, "file", "files")) }
func contents(n int) string { return fmt.Sprintf("%d %s", n, show.Plural(n, "content", "contents")) }

// servedAt is the address of a file below a served directory.
func servedAt(base, file string) string {
	if base == "" {
		return file
	}
	return strings.TrimSuffix(base, "/") + "/" + path.Clean(file)
}
