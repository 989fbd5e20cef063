package issues

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/surge"
)

// scoringFlags change by what issues are scored, and when they surge.
func scoringFlags() []cli.Flag {
	d := surge.Default
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "weight", Usage: "`PART=NUMBER`: the weight of a part of the impact, relative to the others; parts are " + strings.Join(impact.Parts[:], ", ")},
		&cli.BoolFlag{Name: "reset", Usage: "start from the defaults"},
		&cli.IntFlag{Name: "surge-minutes", Usage: fmt.Sprintf("what is held against the past: 10 to 60, in tens (by default %d)", d.Minutes)},
		&cli.Int64Flag{Name: "surge-events", Usage: fmt.Sprintf("at least so many events (%d)", d.Events)},
		&cli.Int64Flag{Name: "surge-users",
			Usage: fmt.Sprintf("of at least so many users, where users are known (%d)", d.Users)},
		&cli.FloatFlag{Name: "surge-times", Usage: fmt.Sprintf("at least so many times what is usual (%v)", d.Times)},
		&cli.FloatFlag{Name: "surge-odds", Usage: fmt.Sprintf("and at most this likely by chance (%v)", d.Odds)},
		&cli.FloatFlag{Name: "surge-share",
			Usage: fmt.Sprintf("or it hits this share of the sessions, 0 to 1 (%v)", d.Share)},
		&cli.Int64Flag{Name: "surge-sessions", Usage: fmt.Sprintf("of at least so many sessions (%d)", d.Sessions)},
	}
}

// setScoring reads the flags.
func setScoring(c *cli.Command) (contract.SetScoring, error) {
	in := contract.SetScoring{Reset: c.Bool("reset"), Weights: map[string]float64{}}
	for _, w := range c.StringSlice("weight") {
		part, text, ok := strings.Cut(w, "=")
		n, err := strconv.ParseFloat(text, 64)
		if !ok || err != nil {
			return in, command.Usage("--weight %q is no weight: write PART=NUMBER, for example users=50", w)
		}
		if _, err := impact.Default.With(map[string]float64{part: n}); err != nil {
			return in, err
		}
		in.Weights[part] = n
	}
	s := contract.SetSurge{}
	given := false
	for _, f := range []struct {
		name string
		take func()
	}{
		{"surge-minutes", func() {
			n := c.Int("surge-minutes")
			s.Minutes = &n
		}}, {"surge-events", func() { n := c.Int64("surge-events"); s.Events = &n }},
		{"surge-users", func() {
			n := c.Int64("surge-users")
			s.Users = &n
		}}, {"surge-times", func() { n := c.Float("surge-times"); s.Times = &n }},
		{"surge-odds", func() {
			n := c.Float("surge-odds")
			s.Odds = &n
		}}, {"surge-share", func() { n := c.Float("surge-share"); s.Share = &n }},
		{"surge-sessions", func() { n := c.Int64("surge-sessions"); s.Sessions = &n }},
	} {
		if c.IsSet(f.name) {
			f.take()
			given = true
		}
	}
	if given {
		in.Surge = &s
	}
	return in, nil
}

// Impact is the command about what issues are ranked by.
func Impact() *cli.Command {
	return &cli.Command{
		Name: "impact", Usage: "weights and thresholds of impact and surges",
		Description: "The impact of an issue is a sum of parts, 0 to 100. Each project sets their weights. docs/impact.md explains the parts, and when\nan issue surges.\n" +
			"  firethorn impact try --weight users=60 --weight frequency=5    show the list with other weights\n  firethorn impact change --weight users=60 --weight frequency=5",
		Commands: []*cli.Command{
			{Name: "show", Usage: "show weights and thresholds of a project",
				Action: func(ctx context.Context, c *cli.Command) error {
					return command.Get(ctx, c, command.OfProject("/impact"), showScoring)
				}},
			{Name: "try", Usage: "compare the list with what other weights would give; changes nothing",
				Flags: append(scoringFlags(), &cli.IntFlag{Name: "most", Value: 25, Usage: "show this many positions"}),
				Action: func(ctx context.Context, c *cli.Command) error {
					in, err := setScoring(c)
					if err != nil {
						return err
					}
					return command.Request(ctx, c, command.Ask(http.MethodPost,
						command.OfProject(fmt.Sprintf("/impact/trial?most=%d", c.Int("most"))), in), showTrialOfScoring)
				}},
			{Name: "change", Usage: "change weights or thresholds; all issues are scored again", Flags: scoringFlags(),
				Action: func(ctx context.Context, c *cli.Command) error {
					in, err := setScoring(c)
					if err != nil {
						return err
					}
					if len(in.Weights) == 0 && in.Surge == nil && !in.Reset {
						return command.Usage("say what to change: --weight PART=NUMBER, --surge-events N …; %s --help lists it", c.FullName())
					}
					return command.Request(ctx, c, command.Ask(http.MethodPut, command.OfProject("/impact"), in),
						showScoring)
				}},
		},
	}
}

func showScoring(out io.Writer, v contract.Scoring) {
	all := 0.0
	for _, w := range v.Weights {
		all += w
	}
	show.Table(out, func(row func(...any)) {
		row("PART", "WEIGHT", "POINTS AT MOST")
		for _, part := range impact.Parts {
			row(part, fmt.Sprintf("%6v", v.Weights[part]), fmt.Sprintf("%14.1f", 100*v.Weights[part]/all))
		}
	})
	s := v.Surge
	fmt.Fprintf(out, "\nAn issue surges when %d minutes bring at least %s of at least %s, %v times what is usual or more, at odds of %v or less by chance;\nor when it hits %v %% of at least %s.\n",
		s.Minutes, show.Counted(s.Events, "event"), show.Counted(s.Users, "user"), s.Times, s.Odds, 100*s.Share,
		show.Counted(s.Sessions, "session"))
	if v.Counted != nil {
		fmt.Fprintf(out, "%s in 14 days, counted %s; newest release: %s\n", show.Counted(v.Active, "active user"),
			show.Ago(*v.Counted), show.Plain(show.OrElse(v.Newest, "none")))
	}
	if v.Stale > 0 {
		fmt.Fprintf(out, "%s being scored anew\n",
			show.Plural(int(v.Stale), "1 issue is", show.Count(v.Stale)+" issues are"))
	}
}

func showTrialOfScoring(out io.Writer, v contract.ScoringTrial) {
	if v.Issues == 0 {
		fmt.Fprintln(out, "No open issue to rank yet.")
		return
	}
	old := map[string]contract.Rank{}
	for _, r := range v.Before {
		old[r.Issue] = r
	}
	show.Table(out, func(row func(...any)) {
		row("PLACE", "  WAS", "IMPACT", "   WAS", "ISSUE", "HEADLINE", "LARGEST PART")
		for _, r := range v.After {
			was, before := "    -", "     -"
			if r.Was > 0 {
				was = fmt.Sprintf("%5d", r.Was)
			}
			if o, ok := old[r.Issue]; ok {
				before = fmt.Sprintf("%6.1f", o.Impact)
			}
			best := contract.Summand{}
			for _, p := range r.Parts {
				if p.Points > best.Points {
					best = p
				}
			}
			row(fmt.Sprintf("%5d", r.Place), was, fmt.Sprintf("%6.1f", r.Impact), before, r.Issue,
				show.Cut(r.Headline, 48),
				fmt.Sprintf("%.1f %s", best.Points, best.Text))
		}
	})
	for _, r := range v.Before {
		if r.Was == 0 || r.Was > len(v.After) {
			fmt.Fprintf(out, "%s was %d and would not be among the first %d\n", r.Issue, r.Place, len(v.After))
		}
	}
	fmt.Fprintf(out, "\n%s ranked; nothing was changed. firethorn impact change with the same weights makes it so.\n",
		show.Plural(v.Issues, "1 open issue", show.Count(int64(v.Issues))+" open issues"))
}

// ShowImpact prints the arithmetic of an impact.
func ShowImpact(out io.Writer, points float64, parts []contract.Summand) {
	var nothing []string
	fmt.Fprintf(out, "impact %.1f\n", points)
	for _, p := range parts {
		if p.Points == 0 {
			nothing = append(nothing, fmt.Sprintf("%s (%s)", p.Name, p.Text))
			continue
		}
		fmt.Fprintf(out, "  %4.1f of %4.1f  %-9s  %s\n", p.Points, p.Max, p.Name, show.Plain(p.Text))
	}
	if len(nothing) > 0 {
		fmt.Fprintf(out, "  nothing for %s\n", show.Plain(strings.Join(nothing, ", ")))
	}
}
