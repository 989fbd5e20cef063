package main

import "context"

// people are the team, by first name.
var people = map[string][2]string{
	"maren": {"Maren Holt", "maren.holt@marrowsound.example"}, "oke": {"Oke Farrow", "oke.farrow@marrowsound.example"},
	"sunniva": {"Sunniva Bray", "sunniva.bray@marrowsound.example"},
}

// addPeople adds the team, each with a token to decide by.
func (d *demo) addPeople(ctx context.Context) error {
	d.tokens = map[string]string{}
	for who, p := range people {
		if err := d.do(ctx, "person", "add", p[0], p[1], "--role", "member"); err != nil {
			return err
		}
		var t struct {
			Token string `json:"token"`
		}
		if err := d.json(ctx, &t, "token", "create", "terminal of "+p[0], "--scope", "person", "--person",
			p[0]); err != nil {
			return err
		}
		d.tokens[who] = t.Token
	}
	for _, args := range [][]string{
		{"team", "create", "Gate Crew", "--member", people["oke"][1], "--member", people["sunniva"][1]},
		{"member", "set", people["maren"][1], "maintainer", "--project", "quayside"},
		{"member", "set", "@gate-crew", "maintainer", "--project", "gangway"},
		{"person", "add", "Vera Lund", "vera.lund@marrowsound.example", "--role", "viewer", "--project", "quayside"},
	} {
		if err := d.do(ctx, args...); err != nil {
			return err
		}
	}
	return nil
}

// decision is a person's decision about the issue with a word in its headline.
type decision struct {
	who, project, text, verb string
	flags                    []string
}

// decisions are what the team did before the newest releases went out.
var decisions = []decision{
	{"sunniva", "quayside", "tideAt", "assign", []string{"--to", "Maren Holt"}}, {"maren", "quayside", "tideAt", "fix",
		[]string{"--next", "--why", "the year has 366 days at times"}},
	{"sunniva", "quayside", "placeBerths", "assign", []string{"--to", "Oke Farrow"}}, {"oke", "quayside", "placeBerths",
		"fix", []string{"--in", "4.2.1"}},
	{"sunniva", "quayside", "loadDepartures", "assign", []string{"--to", "Sunniva Bray"}}, {"maren", "quayside",
		"restoreFilter", "dismiss", nil},
	{"oke", "quayside", "stepZoom", "accept", nil}, {"oke", "gangway", "manifestOf", "fix", []string{"--in", "2.9.0"}},
	{"sunniva", "gangway", "weatherAt", "assign", []string{"--to", "Oke Farrow"}},
	{"maren", "quayside", "findSailing", "park",
		[]string{"--users", "200", "--until", "4w", "--why", "people mistype; it matters when many do"}},
	{"oke", "gangway", "boardingRate", "park", []string{"--next-release", "--new-environment"}},
	{"sunniva", "quayside", "placeBerths", "comment", []string{"It is **zone D** alone, since the repairs:\n\n- the map asks for all zones\n- `zones[zone]` has none of it\n\n@oke.farrow, can it be an empty plan?"}},
	{"oke", "quayside", "placeBerths", "comment", []string{"Yes. It goes into 4.2.1, with zone A."}},
	{"maren", "gangway", "GateError", "assign", []string{"--to", "Gate Crew"}},
	{"oke", "quayside", "loadDepartures", "comment", []string{"The harbour office answers 503 each night at two, @sunniva.bray. Shall we ask again before we throw?"}},
}

func (d *demo) triage(ctx context.Context) error {
	for _, dec := range decisions {
		if err := d.decide(ctx, dec); err != nil {
			return err
		}
	}
	return nil
}

func (d *demo) decide(ctx context.Context, dec decision) error {
	id, err := d.issue(ctx, dec.project, dec.text)
	if err != nil {
		return err
	}
	return d.do(ctx, append([]string{"--token", d.tokens[dec.who], "issue", dec.verb, id}, dec.flags...)...)
}
