package fingerprint

import "firethorn/internal/core/event"

// Ruling is what a rule of the project says of an event's fingerprint: values
// that are added to it, or that stand instead of it.
type Ruling struct {
	Rule            string // its name
	Extend, Replace []Value
	Headline        string // "" leaves the computed one
}

// Value is one text of a rule, filled in.
type Value struct{ Template, Text string }

// Under gives the fingerprint as a rule says; ruling nil changes nothing.
// Values that are added follow what the application added itself; values that
// stand instead take the place of the application's as well.
func (r Result) Under(ruling *Ruling) Result {
	if ruling == nil {
		return r
	}
	r.Ruling = ruling
	if ruling.Headline != "" {
		r.Headline = event.TrimText(oneLine(ruling.Headline), 250)
	}
	parts := r.Parts
	r.Parts = nil
	values, why := ruling.Extend, " adds it: "
	if len(ruling.Replace) > 0 {
		values, why = ruling.Replace, " puts it instead of the computed parts: "
		r.Left = append([]Part(nil), r.Left...)
		for _, p := range parts {
			r.Left = append(r.Left,
				Part{What: p.What, Value: p.Value, Why: "the rule “" + ruling.Rule + "” puts its own key instead",
					From: p.From})
		}
		r.Caller = ""
		if !r.Provisional {
			r.extra = ""
		}
	} else {
		r.Parts = append(r.Parts, parts...)
	}
	for _, v := range values {
		r.add("rule", v.Text, "the rule “"+ruling.Rule+"”"+why+v.Template, -1, -1)
	}
	r.Key = r.hash("")
	if len(ruling.Replace) > 0 {
		r.Base = r.Key
	}
	r.Variant = r.hash(r.extra)
	return r
}
