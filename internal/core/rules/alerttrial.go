package rules

import (
	"cmp"
	"slices"
	"time"
)

// Moment is something that happened to an issue, for a trial of alert rules.
type Moment struct {
	Issue string // as examples call it
	What  string // what the issue became
	At    time.Time
}

// AlertTrial counts which messages alert rules would have sent.
type AlertTrial struct {
	rules  []*AlertRule
	out    []*TrialRule
	newest string            // release
	seen   map[string]*tried // by issue
	hits   map[*AlertRule]map[string][]alertHit
}

// tried is what is kept of an issue's events: the newest and the oldest that were looked at.
type tried struct {
	newest, oldest         *Facts
	newestAt, oldestAt     time.Time
	exampleNew, exampleOld TrialExample
}

// alertHit is an event that a rule with a threshold counts.
type alertHit struct {
	at    time.Time
	user  int64 // 0: none
	n     int64
	event TrialExample
}

// NewAlertTrial prepares a trial. newest is the newest release now.
func NewAlertTrial(set *Set, newest string) *AlertTrial {
	t := &AlertTrial{rules: set.AlertRules(), newest: newest, seen: map[string]*tried{},
		hits: map[*AlertRule]map[string][]alertHit{}}
	for _, r := range t.rules {
		t.out = append(t.out, &TrialRule{Rule: r.Name, Do: "send", Examples: []TrialExample{}})
	}
	return t
}

// Try reads one event; events may come in any order. weight is how many events it counts as.
func (t *AlertTrial) Try(f *Facts, ex TrialExample, user, weight int64) {
	s := t.seen[ex.Issue]
	if s == nil {
		s = &tried{}
		t.seen[ex.Issue] = s
	}
	if s.newest == nil || f.thrown.After(s.newestAt) {
		s.newest, s.newestAt, s.exampleNew = f, f.thrown, ex
	}
	if s.oldest == nil || f.thrown.Before(s.oldestAt) {
		s.oldest, s.oldestAt, s.exampleOld = f, f.thrown, ex
	}
	for i, r := range t.rules {
		if !r.Threshold() || !t.holds(i, f, "") {
			continue
		}
		if t.hits[r] == nil {
			t.hits[r] = map[string][]alertHit{}
		}
		t.hits[r][ex.Issue] = append(t.hits[r][ex.Issue], alertHit{f.thrown, user, max(weight, 1), ex})
	}
}

// holds asks one rule, and notes what went wrong with it.
func (t *AlertTrial) holds(i int, f *Facts, became string) bool {
	hold, trouble := Alerts(t.rules[i:i+1], f.On(Occasion{Became: became,
		Newest: f.event.Release() != "" && f.event.Release() == t.newest}), nil)
	for _, x := range trouble {
		t.out[i].Why = x.Why
		t.out[i].Failed++
	}
	return len(hold) > 0
}

// Done says what each rule would have sent, of what happened in the time.
func (t *AlertTrial) Done(moments []Moment) []*TrialRule {
	for _, m := range moments {
		s := t.seen[m.Issue]
		if s == nil {
			continue // no event of it was looked at
		}
		f, ex := s.newest, s.exampleNew
		if m.What == "new" {
			f, ex = s.oldest, s.exampleOld
		}
		for i, r := range t.rules {
			if r.Becoming(m.What) && !r.Threshold() && t.holds(i, f, m.What) {
				t.sent(i, ex)
			}
		}
	}
	for i, r := range t.rules {
		for _, list := range t.hits[r] {
			for _, h := range crossings(r, list) {
				t.sent(i, h.event)
			}
		}
	}
	return t.out
}

func (t *AlertTrial) sent(i int, ex TrialExample) {
	r := t.out[i]
	r.Events++
	if !slices.ContainsFunc(r.Examples, func(x TrialExample) bool { return x.Issue == ex.Issue }) {
		r.Issues++
		if len(r.Examples) < maxExamples {
			r.Examples = append(r.Examples, ex)
		}
	}
}

// crossings are the events with which a rule's thresholds are reached: the first, and with
// `again` those after the time of it.
func crossings(r *AlertRule, list []alertHit) (out []alertHit) {
	slices.SortStableFunc(list, func(a, b alertHit) int { return cmp.Compare(a.at.UnixNano(), b.at.UnixNano()) })
	var events int64
	users := map[int64]int{} // events of each within the time
	add := func(h alertHit, sign int) {
		events += int64(sign) * h.n
		if h.user == 0 {
			return
		}
		if users[h.user] += sign; users[h.user] == 0 {
			delete(users, h.user)
		}
	}
	first := 0
	for _, h := range list {
		add(h, 1)
		for ; list[first].at.Before(h.at.Add(-r.Within)); first++ {
			add(list[first], -1)
		}
		if len(out) > 0 && (r.Again == 0 || h.at.Sub(out[len(out)-1].at) < r.Again) {
			continue
		}
		if events >= r.Events && int64(len(users)) >= r.Users && r.Sessions == 0 {
			out = append(out, h)
		}
	}
	return out
}
