package rules

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v4"
)

// percent reads a share such as 0.8%; 0 if there is none.
func (r *reader) percent(n *yaml.Node) float64 {
	if n == nil {
		return 0
	}
	number, ok := strings.CutSuffix(strings.TrimSpace(n.Value), "%")
	v, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if n.Kind != yaml.ScalarNode || !ok || err != nil || !(v > 0 && v <= 100) {
		r.at(n, "sessions is a share above 0%% and up to 100%%, such as 0.8%%, not %s", short(n.Value))
		return 1
	}
	return v
}

var spanForm = regexp.MustCompile(`^([0-9]{1,5})(m|h|d)$`)

// span reads a time such as 10m, 2h or 3d.
func (r *reader) span(n *yaml.Node, field string, least, limit time.Duration) time.Duration {
	units := map[string]time.Duration{"m": time.Minute, "h": time.Hour, "d": 24 * time.Hour}
	m := spanForm.FindStringSubmatch(n.Value)
	if n.Kind == yaml.ScalarNode && m != nil {
		v, _ := strconv.Atoi(m[1]) // digits alone
		if d := time.Duration(v) * units[m[2]]; d >= least && d <= limit {
			return d
		}
	}
	r.at(
		n,
		"%s is a time from %s to %s, such as 2h or 1d, not %s",
		field,
		spanText(least),
		spanText(limit),
		short(n.Value),
	)
	return least
}

// spanText writes a time as rules do.
func spanText(d time.Duration) string {
	switch {
	case d%(24*time.Hour) == 0:
		return fmt.Sprintf("%dd", d/(24*time.Hour))
	case d%time.Hour == 0:
		return fmt.Sprintf("%dh", d/time.Hour)
	}
	return fmt.Sprintf("%dm", d/time.Minute)
}

// quiet reads {from: "22:00", to: "07:00", zone: Europe/Lisbon}.
func (r *reader) quiet(n *yaml.Node) *Quiet {
	if n.Kind != yaml.MappingNode {
		r.at(n, `quiet has the fields from, to and zone, such as {from: "22:00", to: "07:00", zone: Europe/Lisbon}`)
		return nil
	}
	q := &Quiet{From: -1, To: -1, Zone: time.UTC}
	for name, v := range r.fields(n, []string{"from", "to", "zone"}) {
		if name.Value == "zone" {
			zone, err := time.LoadLocation(v.Value)
			if err != nil || v.Value == "" || v.Value == "Local" {
				r.at(v, "%s is no time zone; write one as Europe/Lisbon or UTC", short(v.Value))
				continue
			}
			q.Zone = zone
			continue
		}
		at, err := time.Parse("15:04", v.Value)
		if err != nil {
			r.at(v, "%s is a time of day in quotes, such as \"22:00\", not %s", name.Value, short(v.Value))
			continue
		}
		minute := at.Hour()*60 + at.Minute()
		if name.Value == "from" {
			q.From = minute
		} else {
			q.To = minute
		}
	}
	if q.From < 0 || q.To < 0 || q.From == q.To {
		r.at(n, "quiet needs from and to, two different times of day")
		return nil
	}
	return q
}

// atMost reads {messages: 20, within: 1h}.
func (r *reader) atMost(n *yaml.Node) *AtMost {
	if n.Kind != yaml.MappingNode {
		r.at(n, "at-most has the fields messages and within, such as {messages: 20, within: 1h}")
		return nil
	}
	m := &AtMost{}
	for name, v := range r.fields(n, []string{"messages", "within"}) {
		if name.Value == "messages" {
			m.Messages = int(min(r.number(v, "messages"), 10_000))
		} else {
			m.Within = r.span(v, "within", time.Minute, 7*24*time.Hour)
		}
	}
	if m.Messages == 0 || m.Within == 0 {
		r.at(n, "at-most needs both messages and within")
		return nil
	}
	return m
}
