package grouping

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"os"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/offline"
	"firethorn/internal/cli/symbols"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/regroup"
	"firethorn/internal/core/rules"
)

// eventsOf reads the events that a command names with --on, by a method.
func eventsOf(c *cli.Command, m grouping.Method) ([]offline.Readable, error) {
	f, err := os.Open(c.String("on"))
	if err != nil {
		return nil, command.Usage("%s cannot be read: %v", c.String("on"), err)
	}
	defer f.Close()
	maps, err := symbols.OpenMaps(c.StringSlice("maps"))
	if err != nil {
		return nil, err
	}
	return offline.ReadEvents(f, maps, m)
}

// onFile is a rules file tried on events of a file: what they are grouped by
// without it counts as the issues there are.
func onFile(c *cli.Command, set *rules.Set) (*contract.RulesTried, error) {
	now := grouping.Method{Version: fingerprint.Version}
	list, err := eventsOf(c, now)
	if err != nil {
		return nil, err
	}
	now.Learned = blame.NewHelpers()
	for _, r := range list {
		now.Learned.Learn(r.Event, r.Frames)
	}
	then := grouping.Method{Version: now.Version, Rules: set, Learned: now.Learned}
	if v := c.Int("grouping-version"); v != 0 {
		if then.Version = v; v < fingerprint.Oldest || v > fingerprint.Version {
			return nil, command.Usage("there is no grouping version %d; this program knows %d to %d", v,
				fingerprint.Oldest, fingerprint.Version)
		}
	}
	out := &contract.RulesTried{All: int64(len(list))}
	intake, trial := rules.NewTrial(set), regroup.NewTrial(now, then)
	issues, heads := map[fingerprint.Key]int64{}, map[int64][2]string{}
	for _, r := range list {
		o := &regroup.Observed{ID: r.Event.ID, Thrown: offline.ThrownOf(r.Event), StandsFor: int64(r.Event.StandsFor),
			Event: r.Event, Frames: r.Frames}
		before, _ := regroup.Print(now, o, nil)
		if issues[before.Key] == 0 {
			issues[before.Key] = int64(len(issues) + 1)
			heads[issues[before.Key]] = [2]string{before.Headline, before.Place}
		}
		o.Issue, o.Stored = issues[before.Key], before.Key
		if _, identity := r.Event.Identity(); identity != "" {
			h := fnv.New64a()
			_, _ = h.Write([]byte(identity)) // into memory
			o.User, o.HasUser = int64(h.Sum64()), true
		}
		if at := o.Thrown; out.From.IsZero() || !at.IsZero() && at.Before(out.From) {
			out.From = at
		}
		trial.Add(trial.Try(o))
		raw, err := json.Marshal(r.Event)
		if err != nil {
			return nil, err
		}
		intake.Try(rules.NewFacts(r.Event, o.Thrown, func() [][]event.Frame {
			return r.Frames
		}), rules.TrialExample{Event: r.Event.ID, Issue: fmt.Sprint(o.Issue), Text: before.Headline}, nil, raw)
	}
	out.Events, out.Kept, out.Failed = intake.Events, intake.Kept, trial.Failed
	out.Intake, out.Scrub = from.TrialRules(intake.Intake), from.TrialRules(intake.Scrub)
	out.Grouping = from.Outcome(trial.Outcome(func(n int64) (string, string) { return heads[n][0], heads[n][1] }))
	return out, nil
}
