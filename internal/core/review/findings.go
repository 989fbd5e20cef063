package review

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/core/likeness"
)

func (f *finder) sameOrigin(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Text = fmt.Sprintf("%s in %s is in %d issues", cmp.Or(v.Type, "An error"), v.Origin, len(list))
	all := f.mains(list)
	r := rule{name: "one: " + v.Type + " in " + v.Origin, when: whenOrigin(all)}
	if slices.ContainsFunc(all, func(v Variant) bool { return len(v.OwnKey) > 0 }) {
		x.Why = "one function of one file is blamed in all of them; the application's own key separates them"
		x.Does = "leaves out what the application adds, so that the computed fingerprint counts"
		r.replace = []string{"${computed}"}
	} else {
		x.Why = "one function of one file is blamed in all of them"
		x.Does = "groups by type, file and function alone"
		r.replace = key(v.Type, v.Module, v.Origin)
	}
	x.Section, x.Rule = "grouping", r.yaml()
	f.found = append(f.found, x)
}

func (f *finder) moved(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Text = fmt.Sprintf("%s in %s is in %d issues, from several files", cmp.Or(v.Type, "An error"), v.Origin,
		len(list))
	x.Why = "functions of one name fail, and the rest of the stack is nearly the same: the function was moved, or its file is served under several names"
	x.Does = "groups by type and function, wherever the function is"
	all := f.mains(list)
	x.Section = "grouping"
	x.Rule = rule{name: "one: " + v.Type + " in " + v.Origin,
		when: and(ofType(all), oneOf("origin.function", functions(all))), replace: key(v.Type, v.Origin)}.yaml()
	f.found = append(f.found, x)
}

func (f *finder) sameMessage(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Text = fmt.Sprintf("“%s” is the message of %d issues", v.Message, len(list))
	x.Why = "all of them say the same, numbers, names and codes left out"
	if len(v.Own)+len(v.Vendor) == 0 && f.version < f.newest && strings.Contains(v.Message, "<code>") {
		x.Does = fmt.Sprintf("grouping version %d takes codes out of messages", f.newest)
		x.Version = f.newest
		f.found = append(f.found, x)
		return
	}
	r := rule{name: "message: " + v.Message, when: and(ofType(f.mains(list)), says(v.Message)),
		replace: []string{plainText(v.Message)}, headline: plainText(v.Message)}
	x.Does = "groups by the message"
	if name := f.upstream(list); name != "" {
		r.replace = []string{plainText(v.Message), "${" + name + "}"}
		x.Does = "groups by the message, and by " + name
	}
	x.Section, x.Rule = "grouping", r.yaml()
	f.found = append(f.found, x)
}

// upstream is the attribute that names the service that all of the issues call.
func (f *finder) upstream(list []int64) string {
	all := f.mains(list)
	for _, name := range TargetAttributes {
		if !slices.ContainsFunc(all, func(v Variant) bool { return v.Attributes[name] == "" }) {
			return name
		}
	}
	return ""
}

// mixed says whether an issue looks like several causes: traces of it are far
// apart, though nobody put them together by hand or by a rule.
func (f *finder) mixed(is Issue) (Finding, bool) {
	if is.Merged || len(is.Variants) < 2 {
		return Finding{}, false
	}
	var kinds []Variant // one of each kind that is far from the others
	for _, v := range is.Variants {
		if v.Ruled || v.Part || v.Events < leastEvents || len(v.Own)+len(v.Vendor) == 0 {
			continue
		}
		if !slices.ContainsFunc(kinds, func(k Variant) bool {
			return far(k, v) < 0 || k.Itself && k.Place() == v.Place()
		}) {
			kinds = append(kinds, v)
		}
	}
	if len(kinds) < 2 {
		return Finding{}, false
	}
	x, _ := f.finding(Mixed, []int64{is.Number})
	first := kinds[0]
	x.Text = fmt.Sprintf("“%s” looks like %d causes", is.Headline, len(kinds))
	x.Section = "grouping"
	switch {
	case first.Instead:
		x.Why = fmt.Sprintf("its traces have little in common (%s …); the application's own key replaces the fingerprint", places(kinds))
		x.Does = "puts the computed fingerprint in the place of the application's key"
		x.Rule = rule{name: "apart: " + strings.Join(first.OwnKey, " "), when: ownKeyIs(first.OwnKey),
			replace: []string{"${computed}"}}.yaml()
	case first.Origin != "" && first.Place() == kinds[1].Place():
		x.Why = fmt.Sprintf("%s is blamed in all of it, and callers with nothing in common lead there", first.Origin)
		x.Does = fmt.Sprintf("looks through %s, so that who called it is blamed", first.Origin)
		x.Section = "frames"
		x.Rule = fmt.Sprintf("- name: %s\n  module: %s\n  function: [%s]\n  do: look-through\n", quote(short("through "+first.Origin)), quote(first.Module), strings.Join(quotedAll(functions(kinds)), ", "))
	default:
		x.Why = fmt.Sprintf("its traces have little in common (%s …)", places(kinds))
		x.Does = "separates by the blamed function"
		x.Rule = rule{name: "apart: " + is.Headline, when: and(ofType(kinds), says(first.Message)),
			extend: []string{"${origin.module}", "${origin.function}"}}.yaml()
	}
	return x, true
}

// far is below 0 where two variants look like one cause. What both blame is left
// out where it is the same: who called it tells.
func far(a, b Variant) float64 {
	x, y := a.Sketch, b.Sketch
	if p := x.Place(); p != "" && p == y.Place() && len(x.Own) > 1 && len(y.Own) > 1 {
		if x.Own[0] == y.Own[0] {
			x.Own, y.Own = x.Own[1:], y.Own[1:]
		}
	}
	return apartTrace - likeness.Compare(x, y).Trace
}

func places(list []Variant) string {
	var out []string
	for _, v := range list[:min(len(list), 3)] {
		out = append(out, cmp.Or(v.Origin, v.Type))
	}
	return strings.Join(out, ", ")
}

// noise says whether an issue is mostly repetition.
func noise(is Issue, total int64) (Finding, bool) {
	v, ok := is.main()
	if !ok || is.Events < noisyEvents || is.Events < noisyRate*max(is.Users, 1) {
		return Finding{}, false
	}
	share := 100 * float64(is.Events) / float64(max(total, 1))
	who := fmt.Sprintf("%d users", is.Users)
	switch is.Users {
	case 0:
		who = "no known user"
	case 1:
		who = "one user"
	}
	x := Finding{
		Kind: Noise, Text: fmt.Sprintf("“%s” makes %.0f %% of all events, for %s", is.Headline, share, who), Why: fmt.Sprintf("%d events of %s in the window: a loop that fails again and again", is.Events, who),
		Issues: []Named{{is.Number, is.Headline, is.Events, is.Users}}, Events: is.Events, Users: is.Users,
		Section: "intake",
		Does:    "drops new events and counts them under the rule; the issue and its stored events stay. Fix the loop first, if you can",
	}
	when := whenOrigin([]Variant{v})
	if v.Origin == "" {
		when = and(ofType([]Variant{v}), says(v.Message))
	}
	x.Rule = fmt.Sprintf("- name: %s\n  when: %s\n  do: drop\n", quote(short("noise: "+is.Headline)), quote(when))
	return x, true
}
