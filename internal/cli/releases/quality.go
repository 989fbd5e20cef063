package releases

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// healthFlags narrow what is looked at.
func healthFlags(more ...cli.Flag) []cli.Flag {
	return append([]cli.Flag{
		&cli.StringFlag{Name: "environment", Usage: "only sessions of the environment `NAME` (default: all)"},
		&cli.StringFlag{Name: "window", Usage: "14d, 36h, 2026-11-01..2026-11-20 or all (default: 7d)"},
	}, more...)
}

func baselineFlag() cli.Flag {
	return &cli.StringFlag{Name: "baseline", Usage: "compare with the release `VERSION` (default: the previous one)"}
}

func healthQuery(c *cli.Command, q url.Values) url.Values {
	for _, name := range []string{"environment", "window", "baseline"} {
		if v := c.String(name); v != "" {
			q.Set(name, v)
		}
	}
	return q
}

// qualityCommand says how releases do.
func qualityCommand() *cli.Command {
	return &cli.Command{Name: "quality",
		Usage:     "sessions and crashes of releases, and whether one is better or worse",
		Arguments: []cli.Argument{command.Text("version")},
		Description: "Without VERSION it shows all releases of the window. A verdict compares the crashed sessions of a release with those of\n" +
			"its baseline, once 100 sessions of each have ended. Its p value stays valid however often you look.",
		Flags: healthFlags(baselineFlag()),
		Action: func(ctx context.Context, c *cli.Command) error {
			q := healthQuery(c, url.Values{})
			if v := c.StringArg("version"); v != "" {
				q.Set("version", v)
				return command.Get(ctx, c, command.OfProject("/release/quality?"+q.Encode()), showQuality)
			}
			return command.Get(ctx, c, command.OfProject("/quality?"+q.Encode()), showQualities)
		}}
}

func percent(s contract.ShareOf) string {
	return fmt.Sprintf("%.2f %% (%.2f to %.2f)", 100*s.Share, 100*s.Low, 100*s.High)
}

func says(v contract.QualityVerdict) string {
	if v.Result == nil {
		return "-"
	}
	return *v.Result
}

func showQualities(out io.Writer, v contract.Qualities) {
	if len(v.Releases) == 0 {
		fmt.Fprintln(out, "No release was seen in this time. A longer one: --window 30d")
		return
	}
	show.Table(out, func(row func(...any)) {
		row("RELEASE", "SESSIONS", " UPTAKE", "WITHOUT A CRASH (95 %)", "  USERS", "VERDICT", "BESIDE", "    NEW")
		for _, r := range v.Releases {
			free := "-"
			if r.Sessions.All > r.Sessions.Running {
				free = percent(r.CrashFreeSessions)
			}
			row(show.Plain(r.Release), show.Figure(r.Sessions.All), fmt.Sprintf("%5.1f %%", 100*r.Uptake.Sessions),
				free,
				show.Figure(r.Users.All), says(r.Verdict), show.OrDash(show.Plain(r.Verdict.Baseline)),
				show.Figure(r.New))
		}
	})
	if v.Sessions.All == 0 {
		fmt.Fprintln(out,
			"\nThe application sends no sessions, so nothing says how many did not crash. docs/signals.md shows how it does.")
	}
}

func showQuality(out io.Writer, r contract.Quality) {
	s := r.Sessions
	fmt.Fprintf(out, "%s: %s (%.1f %% of all), %s\n", show.Plain(r.Release), show.Counted(s.All, "session"),
		100*r.Uptake.Sessions, show.Counted(r.Users.All, "user"))
	if r.WithoutSessions {
		fmt.Fprintf(out, "The application sends no sessions; %s in %s are known.\n", show.Counted(r.Events, "event"),
			show.Counted(r.Issues, "issue"))
	}
	if s.All > s.Running {
		fmt.Fprintf(out, "  %s clean, %s faulty, %s crashed, %s cut off, %s running\n", show.Count(s.Clean),
			show.Count(s.Faulty), show.Count(s.Crashed), show.Count(s.CutOff), show.Count(s.Running))
		fmt.Fprintf(out, "  sessions without a crash   %s\n  sessions without an error  %s\n",
			percent(r.CrashFreeSessions),
			percent(r.ErrorFreeSessions))
		if r.Users.All > 0 {
			fmt.Fprintf(out, "  users without a crash      %s\n", percent(r.CrashFreeUsers))
		}
		fmt.Fprintf(out, "  lasted                     %s in the middle, 95 %% under %s\n", took(r.DurationS.P50),
			took(r.DurationS.P95))
	}
	if r.Verdict.Result != nil {
		fmt.Fprintf(out, "\nBeside %s: %s. ", show.Plain(r.Verdict.Baseline), says(r.Verdict))
	} else {
		fmt.Fprint(out, "\n")
	}
	if why := show.Plain(r.Verdict.Why); why != "" {
		fmt.Fprintln(out, strings.ToUpper(why[:1])+why[1:]+".")
	}
	if x := r.Verdict.Ratio; x != nil {
		fmt.Fprintf(out,
			"Its sessions crash %.2f times as often (%.2f to %.2f); p %.2g, however often one looks.\n", x.Value,
			x.Low, x.High, *r.Verdict.P)
	}
	showEnvironments(out, r.Environments)
}

func took(seconds float64) string {
	return time.Duration(seconds * float64(time.Second)).Round(time.Millisecond * 100).String()
}

// compareCommand puts two releases side by side.
func compareCommand() *cli.Command {
	return &cli.Command{Name: "compare", Usage: "compare two releases: issues of only one, rates of the others",
		Arguments: []cli.Argument{command.Text("a"), command.Text("b")}, Flags: healthFlags(),
		Action: func(ctx context.Context, c *cli.Command) error {
			q := healthQuery(c, url.Values{})
			for _, name := range []string{"a", "b"} {
				v, err := command.Arg(c, name)
				if err != nil {
					return err
				}
				q.Set(name, v)
			}
			return command.Get(ctx, c, command.OfProject("/release/compare?"+q.Encode()), showComparison)
		}}
}

func showComparison(out io.Writer, v contract.ReleaseComparison) {
	for _, r := range []contract.Quality{v.A, v.B} {
		fmt.Fprintf(out, "%-12s %s, %s without a crash\n", show.Plain(r.Release), show.Counted(r.Sessions.All,
			"session"),
			percent(r.CrashFreeSessions))
	}
	fmt.Fprintf(out, "%s: %s\n", says(v.Verdict), show.Plain(v.Verdict.Why))
	for _, x := range []struct {
		release string
		list    []contract.ComparedOnly
	}{{v.A.Release, v.OnlyInA}, {v.B.Release, v.OnlyInB}} {
		fmt.Fprintf(out, "\nONLY IN %s\n", show.Plain(x.release))
		if len(x.list) == 0 {
			fmt.Fprintln(out, "  nothing")
			continue
		}
		show.Table(out, func(row func(...any)) {
			for _, i := range x.list {
				row("  "+i.ID, show.Cut(show.Plain(i.Headline), 50), show.Amount(i.Events, "event"),
					rate(i.Per1000Sessions))
			}
		})
	}
	fmt.Fprintln(out, "\nIN BOTH")
	show.Table(out, func(row func(...any)) {
		row("  ISSUE", "HEADLINE", "FOR 1,000 SESSIONS", "", "TIMES (95 %)")
		for _, i := range v.InBoth {
			times := "-"
			if i.Ratio.Value > 0 {
				times = fmt.Sprintf("%.2f (%.2f to %.2f)", i.Ratio.Value, i.Ratio.Low, i.Ratio.High)
			}
			row("  "+i.ID, show.Cut(show.Plain(i.Headline), 50), rate(i.Per1000Sessions.A),
				rate(i.Per1000Sessions.B), times)
		}
	})
}

func rate(n float64) string { return fmt.Sprintf("%.1f", n) }

// checkCommand stops a pipeline where a release is bad.
func checkCommand() *cli.Command {
	return &cli.Command{Name: "check", Usage: "decide whether a release is good enough, for pipelines: exit code 0 or 1",
		Arguments: []cli.Argument{command.Text("version")},
		Description: "Prints each condition with its numbers. If there is not enough data yet, the check fails, unless you use --allow-early.\n" +
			"  firethorn release check 4.2.1 -p quayside --max-regressed 0 --min-crash-free 99.5 --wait 30m",
		Flags: healthFlags(baselineFlag(),
			&cli.IntFlag{Name: "max-new", Usage: "allow at most `N` new issues"},
			&cli.IntFlag{Name: "max-regressed", Usage: "allow at most `N` regressed issues"},
			&cli.FloatFlag{Name: "min-crash-free", Usage: "require at least `PERCENT` crash-free sessions"},
			&cli.IntFlag{Name: "min-sessions", Usage: "judge sessions from `N` ended ones on"},
			&cli.BoolFlag{Name: "allow-early", Usage: "pass if there is not enough data yet"},
			&cli.DurationFlag{Name: "wait",
				Usage: "wait up to this time, such as 30m, until there is enough data"},
			&cli.DurationFlag{Name: "every", Value: 15 * time.Second, Hidden: true}),
		Action: check}
}

func check(ctx context.Context, c *cli.Command) error {
	version, err := command.Arg(c, "version")
	if err != nil {
		return err
	}
	q := healthQuery(c, url.Values{"version": {version}})
	for _, name := range []string{"max-new", "max-regressed", "min-sessions"} {
		if n := c.Int(name); n < 0 {
			return command.Usage("--%s is a whole number from 0, not %d", name, n)
		} else if c.IsSet(name) {
			q.Set(strings.ReplaceAll(name, "-", "_"), strconv.Itoa(n))
		}
	}
	if n := c.Float("min-crash-free"); !(n >= 0 && n <= 100) {
		return command.Usage("--min-crash-free is a percentage from 0 to 100, not %g", n)
	} else if c.IsSet("min-crash-free") {
		q.Set("min_crash_free", strconv.FormatFloat(n, 'f', -1, 64))
	}
	if c.Bool("allow-early") {
		q.Set("allow_early", strconv.FormatBool(true))
	}
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	path := "/api/projects/" + url.PathEscape(project) + "/release/check?" + q.Encode()
	until := time.Now().Add(c.Duration("wait"))
	for {
		var v contract.ReleaseCheck
		raw, err := cl.Call(ctx, http.MethodGet, path, nil, &v)
		if err != nil {
			return err
		}
		if !v.Early || v.Passed || failed(v) || !time.Now().Before(until) {
			if err := command.Print(c, raw, v, showCheck); err != nil || v.Passed {
				return err
			}
			return problem.New(problem.AnswerIsNo, "%s does not pass", version)
		}
		fmt.Fprintf(c.Root().ErrWriter, "%s: too early, %s ended; %s left\n", time.Now().Format("15:04:05"),
			show.Counted(v.Quality.Sessions.All-v.Quality.Sessions.Running, "session"),
			time.Until(until).Round(time.Second))
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(c.Duration("every")):
		}
	}
}

// failed says whether a condition failed that more sessions do not change.
func failed(v contract.ReleaseCheck) bool {
	for _, c := range v.Conditions {
		if !c.Passed && !c.Early {
			return true
		}
	}
	return false
}

func showCheck(out io.Writer, v contract.ReleaseCheck) {
	for _, c := range v.Conditions {
		mark := "passed"
		switch {
		case c.Early:
			mark = "too early"
		case !c.Passed:
			mark = "FAILED"
		}
		fmt.Fprintf(out, "%-9s  %s: %s\n", mark, show.Plain(c.Name), show.Plain(c.Result))
	}
	if len(v.Conditions) == 0 {
		fmt.Fprintln(out,
			"Nothing was asked of it, and no release came before it: say what it must be like, such as --max-new 0.")
	}
	if v.Passed {
		fmt.Fprintf(out, "%s passes\n", show.Plain(v.Release))
	}
}
