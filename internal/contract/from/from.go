// Package from converts results of the core to the types of the contract, so that either may change
// without the other. Lists are never nil.
package from

import (
	"firethorn/internal/contract"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/owners"
	"firethorn/internal/core/regroup"
	"firethorn/internal/core/review"
	"firethorn/internal/core/rules"
)

// each makes a list of what f makes of a list's items.
func each[A, B any](list []A, f func(A) B) []B {
	out := make([]B, len(list))
	for i, x := range list {
		out[i] = f(x)
	}
	return out
}

// Frames are readable frames, innermost first.
func Frames(list []event.Frame) []contract.Frame { return each(list, frame) }

func frame(f event.Frame) contract.Frame {
	return contract.Frame{
		Function: f.Function, Within: f.Within, File: f.File, Line: f.Line, Column: f.Column, Kind: string(f.Kind),
		Raw: contract.Position(f.Raw), WhyRaw: f.WhyRaw, Statement: f.Statement,
		SourceLines: each(f.SourceLines, func(l event.SourceLine) contract.SourceLine {
			return contract.SourceLine(l)
		}),
		SourceCommit: f.SourceCommit, Origin: f.Origin, LookThrough: f.LookThrough, MakesError: f.MakesError,
		OnBehalf: f.OnBehalf, Async: f.Async, Vanished: f.Vanished, Builtin: f.Builtin, Digest: f.Digest,
		Ignored: f.Ignored, Pending: f.Pending,
	}
}

// Breadcrumbs are an event's breadcrumbs, oldest first.
func Breadcrumbs(list []event.Breadcrumb) []contract.Breadcrumb {
	return each(list, func(b event.Breadcrumb) contract.Breadcrumb {
		return contract.Breadcrumb{Time: b.Time, Kind: b.Kind, Message: b.Message, Severity: string(b.Severity),
			Attributes: b.Attributes}
	})
}

// Symbols are the files that an event says its frames stand in.
func Symbols(list []event.SymbolRef) []contract.SymbolRef {
	return each(list, func(s event.SymbolRef) contract.SymbolRef { return contract.SymbolRef(s) })
}

// Scrubbed lists the replacements in an event.
func Scrubbed(list []event.Scrubbed) []contract.Scrubbed {
	return each(list, func(s event.Scrubbed) contract.Scrubbed { return contract.Scrubbed(s) })
}

// Parts are those of a fingerprint.
func Parts(list []fingerprint.Part) []contract.Part {
	return each(list, func(p fingerprint.Part) contract.Part { return contract.Part(p) })
}

// Summands are the parts of an impact.
func Summands(list []impact.Summand) []contract.Summand {
	return each(list, func(s impact.Summand) contract.Summand { return contract.Summand(s) })
}

// Proposals are people who may have an issue, the likeliest first.
func Proposals(list []owners.Proposal) []contract.Proposal {
	return each(list, func(p owners.Proposal) contract.Proposal { return contract.Proposal(p) })
}

// Text are those that conditions of rules can use.
func Words(list []rules.Word) []contract.Word {
	return each(list, func(w rules.Word) contract.Word { return contract.Word(w) })
}

// Problems are the problems of a rules file.
func Problems(list []rules.Problem) []contract.RuleProblem {
	return each(list, func(f rules.Problem) contract.RuleProblem { return contract.RuleProblem(f) })
}

// TrialRules are what rules would have done.
func TrialRules(list []*rules.TrialRule) []contract.TrialRule {
	return each(list, func(r *rules.TrialRule) contract.TrialRule {
		return contract.TrialRule{Rule: r.Rule, Do: r.Do, Events: r.Events, Issues: r.Issues, Failed: r.Failed,
			TooCostly: r.TooCostly, Why: r.Why,
			Examples: each(r.Examples, func(x rules.TrialExample) contract.TrialExample {
				return contract.TrialExample(x)
			})}
	})
}

// Outcome is what would become of issues.
func Outcome(o regroup.Outcome) contract.Outcome {
	return contract.Outcome{
		Events: o.Events, Moved: o.Moved, Users: o.Users, Issues: o.Issues, Stay: o.Stay,
		Merges: each(o.Merges, func(j regroup.Joined) contract.Joined {
			return contract.Joined{Into: side(j.Into), From: each(j.From, side)}
		}),
		Splits: each(o.Splits, func(p regroup.Parted) contract.Parted {
			return contract.Parted{From: side(p.From), Into: each(p.Into, side)}
		}),
		Rules:   each(o.Rules, func(h regroup.RuleHit) contract.RuleHit { return contract.RuleHit(h) }),
		Version: o.Version, More: o.More,
	}
}

func side(s regroup.Side) contract.Side {
	return contract.Side{Number: s.Number, New: s.New, Headline: s.Headline, Place: s.Place, Events: s.Events,
		Users: s.Users, Rule: s.Rule, Gone: s.Gone,
		Examples: each(s.Examples, func(x regroup.Example) contract.Example {
			return contract.Example{Event: x.Event, Message: x.Message, Origin: x.Origin, Before: Parts(x.Before),
				After: Parts(x.After)}
		})}
}

// Findings are the places where grouping is bad.
func Findings(list []review.Finding) []contract.Finding {
	return each(list, func(f review.Finding) contract.Finding {
		return contract.Finding{Kind: string(f.Kind), Text: f.Text, Why: f.Why,
			Issues: each(f.Issues, func(n review.Named) contract.Named { return contract.Named(n) }),
			More:   f.More, Events: f.Events, Users: f.Users, Section: f.Section, Rule: f.Rule, Does: f.Does,
			Version: f.Version}
	})
}
