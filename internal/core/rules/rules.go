// Package rules parses and applies a project's rules file: intake filters, scrubbing, frame kinds,
// grouping, assignment and alerts. It is pure.
//
// The file is YAML; its form is published as a JSON Schema (Schema). Conditions
// are CEL, the Common Expression Language, over the facts of an event
// (facts.go). Within a section the first rule that fits decides. What a
// condition may cost is bounded, for each and for all together.
//
// Reading order: Read (text to Set), section.go (how YAML becomes rules, with
// places for errors), intake.go, scrub.go, frames.go, grouping.go and assign.go
// (the sections), condition.go (CEL), template.go (values filled in), facts.go (what
// conditions see).
package rules

import (
	_ "embed"
	"fmt"
	"strings"

	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/scrub"
)

// Schema is the form of a rules file as a JSON Schema (draft 2020-12).
//
//go:embed schema.json
var Schema []byte

// Limits of a rules file.
const (
	MaxBytes    = 256 << 10
	MaxRules    = 500 // of one section
	MaxPatterns = 20  // scrub rules with a pattern: each is run over every text
	maxText     = 4 << 10
	maxPattern  = 1 << 10 // a regular expression or a glob
	maxName     = 60
)

// Problem is an error in a rules file.
type Problem struct {
	Line       int    `json:"line" doc:"counted from 1"`
	Column     int    `json:"column" doc:"in characters, counted from 1"`
	Section    string `json:"section,omitempty"`
	Rule       string `json:"rule,omitempty"`
	Message    string `json:"message"`
	Suggestion string `json:"suggestion,omitempty" doc:"the nearest right word"`
}

func (p Problem) String() string {
	s := fmt.Sprintf("%d:%d: ", p.Line, p.Column)
	if p.Rule != "" {
		s += fmt.Sprintf("%s rule %q: ", p.Section, p.Rule)
	} else if p.Section != "" {
		s += "section " + p.Section + ": "
	}
	s += p.Message
	if p.Suggestion != "" {
		s += fmt.Sprintf("; did you mean %s?", p.Suggestion)
	}
	return s
}

// Set is a rules file ready to act. It is safe for concurrent use. The zero
// Set has no rules.
type Set struct {
	Intake    []*IntakeRule
	Scrub     []scrub.Rule
	Frames    []FrameRule
	Grouping  []*GroupingRule
	Assigns   []*AssignRule
	Alerts    []*AlertRule
	HasAlerts bool     // the file has a section alerts; without one the defaults act
	grouping  [32]byte // digest of the sections that decide how events are grouped
	policy    *scrub.Policy
}

// Policy is what the section scrub says.
func (s *Set) Policy() *scrub.Policy {
	if s == nil || s.policy == nil {
		return scrub.Default
	}
	return s.policy
}

// Read reads a rules file. Every problem that can be told at once is; with
// problems there is no Set. An empty text is a file without rules.
func Read(text string) (*Set, []Problem) {
	r := &reader{text: text}
	if len(text) > MaxBytes {
		return nil, []Problem{{Line: 1, Column: 1,
			Message: fmt.Sprintf("the file has %d bytes; %d are the most", len(text), MaxBytes)}}
	}
	root := r.parse()
	set := &Set{}
	if root != nil {
		r.sections(root, set)
	}
	if len(r.problems) > 0 {
		return nil, r.problems
	}
	set.policy, set.grouping = scrub.NewPolicy(set.Scrub), digest(root)
	return set, nil
}

// sectionNames are all sections.
var sectionNames = []string{"intake", "scrub", "frames", "grouping", "assign", "alerts"}

func (r *reader) sections(root *yaml.Node, set *Set) {
	read := map[string]func(*yaml.Node){
		"schema": func(n *yaml.Node) {
			if n.Value != "1" {
				r.at(n, "this version reads schema 1 of rules files, not %s", short(n.Value))
			}
		},
		"intake":   func(n *yaml.Node) { set.Intake = r.intake(n) },
		"scrub":    func(n *yaml.Node) { set.Scrub = r.scrub(n) },
		"frames":   func(n *yaml.Node) { set.Frames = r.frames(n) },
		"grouping": func(n *yaml.Node) { set.Grouping = r.grouping(n) },
		"assign":   func(n *yaml.Node) { set.Assigns = r.assign(n) },
		"alerts":   func(n *yaml.Node) { set.Alerts, set.HasAlerts = r.alerts(n), true },
	}
	for name, value := range r.fields(root, append([]string{"schema"}, sectionNames...)) {
		r.section = name.Value
		read[name.Value](value)
		r.section = ""
	}
	r.sharedNames(root, set)
}

// short cuts what is quoted in a message.
func short(s string) string {
	s = strings.ToValidUTF8(s, "\uFFFD")
	if r := []rune(s); len(r) > 60 {
		s = string(r[:60]) + "…"
	}
	return fmt.Sprintf("%q", s)
}
