package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/urfave/cli/v3"
	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
)

func symbolsCommand() *cli.Command {
	return &cli.Command{Name: "symbols", Usage: "what makes traces readable", Commands: []*cli.Command{
		{Name: "push", Usage: "push the bundles and source maps of a release",
			Description: "Finds .js, .mjs and .cjs files below DIR with their maps and pushes both. What is there already is not sent again.",
			Arguments:   []cli.Argument{text("dir")},
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "release", Usage: "the release `R` they belong to, as the application reports it", Required: true},
				&cli.StringFlag{Name: "served-at", Usage: "the `URL` (or path) under which DIR is served"},
			},
			Action: pushSymbols},
		{Name: "list", Usage: "what was pushed, newest first", Flags: []cli.Flag{&cli.StringFlag{Name: "release", Usage: "only those of release `R`"}, &cli.IntFlag{Name: "limit", Value: 200, Usage: "how many"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				q := url.Values{"limit": {fmt.Sprint(c.Int("limit"))}}
				if r := c.String("release"); r != "" {
					q.Set("release", r)
				}
				return get(ctx, c, ofProject("/symbols?"+q.Encode()), func(out io.Writer, v contract.Symbols) {
					if len(v.Symbols) == 0 {
						fmt.Fprintln(out, "No symbols were pushed. After a build: firethorn symbols push --release R DIR")
						return
					}
					table(out, func(row func(...any)) {
						row("RELEASE", "FILE", "BUNDLE", "MAP", "DEBUG ID", "PUSHED")
						for _, s := range v.Symbols {
							row(s.Release, s.Address, size(s.BundleBytes), size(s.MapBytes), orDash(s.DebugID), ago(s.Created))
						}
					})
				})
			}},
	}}
}

func size(n int64) string {
	switch {
	case n >= 1<<20:
		return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.1f kB", float64(n)/(1<<10))
	}
	return fmt.Sprintf("%d B", n)
}

func pushSymbols(ctx context.Context, c *cli.Command) error {
	dir, err := arg(c, "dir")
	if err != nil {
		return err
	}
	cl, err := newClient(c)
	if err != nil {
		return err
	}
	project, err := cl.needProject()
	if err != nil {
		return err
	}
	list, without, err := findBundles(dir)
	if err != nil {
		return err
	}
	if len(list) == 0 {
		return fault.New(fault.AnswerIsNo, "no JavaScript file with a source map lies below %s (%d without one); let the build write maps, beside the files or named in them", dir, len(without))
	}
	base := "/api/projects/" + url.PathEscape(project) + "/symbols"
	sent, err := pushContents(ctx, c, cl, base, list)
	if err != nil {
		return err
	}
	push := contract.PushSymbols{Release: c.String("release")}
	for _, b := range list {
		push.Files = append(push.Files, contract.SymbolFile{Address: servedAt(c.String("served-at"), b.Path), Bundle: b.CodeHash, Map: b.MapSum, DebugID: b.DebugID})
	}
	var pushed contract.Pushed
	raw, err := cl.call(ctx, http.MethodPost, base, push, &pushed)
	if err != nil {
		return err
	}
	out := c.Root().Writer
	if c.String("format") == "json" {
		_, err = out.Write(raw)
		return err
	}
	table(out, func(row func(...any)) {
		row("FILE", "BUNDLE", "MAP", "SOURCES", "DEBUG ID", "SENT")
		for i, b := range list {
			row(push.Files[i].Address, size(int64(len(b.Code))), size(int64(len(b.MapRaw))), b.Map.Sources(), orDash(b.DebugID), sentWord(sent, b))
		}
	})
	fmt.Fprintf(out, "%s %s: %d files new, %d there already", project, push.Release, pushed.Added, pushed.Already)
	if len(without) > 0 {
		fmt.Fprintf(out, "; without a map: %s", plain(strings.Join(without, ", ")))
	}
	fmt.Fprintln(out)
	for _, b := range list {
		if n := b.Map.Dropped(); n > 0 {
			fmt.Fprintf(out, "! %s: %d %s of its map name what is not there, and are let go; the rest holds\n", plain(b.Path), n, plural(n, "segment", "segments"))
		}
	}
	return nil
}

func sentWord(sent map[string]bool, b bundle) string {
	if sent[b.CodeHash] || sent[b.MapSum] {
		return "now"
	}
	return "there already"
}

// pushContents sends what the project does not hold, with a progress bar on a
// terminal.
func pushContents(ctx context.Context, c *cli.Command, cl *client, base string, list []bundle) (map[string]bool, error) {
	content := map[string][]byte{}
	var ask contract.Hashes
	for _, b := range list {
		for h, raw := range map[string][]byte{b.CodeHash: b.Code, b.MapSum: b.MapRaw} {
			if content[h] == nil {
				content[h] = raw
				ask.Hashes = append(ask.Hashes, h)
			}
		}
	}
	var missing contract.Hashes
	if _, err := cl.call(ctx, http.MethodPost, base+"/missing", ask, &missing); err != nil {
		return nil, err
	}
	total := int64(0)
	for _, h := range missing.Hashes {
		total += int64(len(content[h]))
	}
	progress := mpb.NewWithContext(ctx, mpb.WithOutput(c.Root().ErrWriter), mpb.WithAutoRefresh())
	if !isTerminal(c.Root().ErrWriter) {
		progress = mpb.NewWithContext(ctx, mpb.WithOutput(nil))
	}
	bar := progress.AddBar(total, mpb.PrependDecorators(decor.Name("pushing "), decor.CountersKibiByte("% .1f / % .1f")), mpb.AppendDecorators(decor.Percentage()))
	sent := map[string]bool{}
	for _, h := range missing.Hashes {
		if err := cl.upload(ctx, base+"/content", content[h]); err != nil {
			bar.Abort(true)
			return nil, err
		}
		sent[h] = true
		bar.IncrBy(len(content[h]))
	}
	if total == 0 {
		bar.Abort(true)
	}
	progress.Wait()
	return sent, nil
}

// servedAt is the address of a file below a served directory.
func servedAt(base, path string) string {
	if base == "" {
		return path
	}
	return strings.TrimSuffix(base, "/") + "/" + path
}
