package main

import (
	"context"
	"fmt"
)

// people are the team, by first name.
var people = map[string][2]string{
	"maren": {"Maren Holt", "maren.holt@marrowsound.example"}, "oke": {"Oke Farrow", "oke.farrow@marrowsound.example"}, "sunniva": {"Sunniva Bray", "sunniva.bray@marrowsound.example"},
}

// addPeople adds the team, each with a token to decide by.
func (d *demo) addPeople(ctx context.Context) error {
	d.tokens = map[string]string{}
	for who, p := range people {
		if err := d.do(ctx, "person", "add", p[0], p[1]); err != nil {
			return err
		}
		var t struct {
			Token string `json:"token"`
		}
		if err := d.json(ctx, &t, "token", "create", "terminal of "+p[0], "--scope", "person", "--person", p[0]); err != nil {
			return err
		}
		d.tokens[who] = t.Token
	}
	return nil
}

// decision is what somebody did about the issue with a word in its headline.
type decision struct{ who, project, text, verb, flag, value string }

// decisions are what the team did before the new releases went out.
var decisions = []decision{
	{"sunniva", "quayside", "tideAt", "assign", "--to", "Maren Holt"}, {"maren", "quayside", "tideAt", "fix", "--in", "4.2.1"},
	{"sunniva", "quayside", "placeBerths", "assign", "--to", "Oke Farrow"}, {"oke", "quayside", "placeBerths", "fix", "--in", "4.2.1"},
	{"sunniva", "quayside", "getJSON", "assign", "--to", "Sunniva Bray"}, {"maren", "quayside", "restoreFilter", "dismiss", "", ""},
	{"oke", "quayside", "stepZoom", "accept", "", ""}, {"oke", "gangway", "manifestOf", "fix", "--in", "2.9.0"}, {"sunniva", "gangway", "weatherAt", "assign", "--to", "Oke Farrow"},
}

func (d *demo) triage(ctx context.Context) error {
	for _, dec := range decisions {
		var list struct {
			Issues []struct {
				ID string `json:"id"`
			} `json:"issues"`
		}
		if err := d.json(ctx, &list, "issue", "list", "--project", dec.project, "--state", "all", "--text", dec.text); err != nil {
			return err
		}
		if len(list.Issues) != 1 {
			return fmt.Errorf("%d issues of %s have %q in them, 1 should", len(list.Issues), dec.project, dec.text)
		}
		args := []string{"--token", d.tokens[dec.who], "issue", dec.verb, list.Issues[0].ID}
		if dec.flag != "" {
			args = append(args, dec.flag, dec.value)
		}
		if err := d.do(ctx, args...); err != nil {
			return err
		}
	}
	return nil
}
