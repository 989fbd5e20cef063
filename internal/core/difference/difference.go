// Package difference finds traits that part of an issue's events share and the rest lack: a function
// on the stack, a message form, an attribute. Splits use it.
//
// Input are events with readable frames; output is whether a difference holds
// of one, and which differences a sample of events shows. Pure.
package difference

import (
	"fmt"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
)

// Kind is what a difference looks at.
type Kind string

// The kinds of difference.
const (
	Frame     Kind = "frame"     // an own function is on the stack
	Message   Kind = "message"   // the message has a form
	Attribute Kind = "attribute" // an attribute of the event or its resource has a value
)

// Difference is what a part of an issue's events has in common.
type Difference struct {
	Kind Kind
	Name string // of the attribute, else ""
	// "src/fares.ts loadFares" or only the function; the message's form; the attribute's value, ""
	// where it is absent.
	Value string
}

const (
	maxName  = 200  // bytes of an attribute's name
	maxValue = 1000 // bytes of a value
)

// New makes a difference as people write it: of a message, its form is taken.
func New(kind Kind, name, value string) (Difference, error) {
	d := Difference{Kind: kind, Name: strings.TrimSpace(name), Value: strings.TrimSpace(value)}
	switch kind {
	case Frame, Message:
		if d.Value == "" {
			return d, problem.New(problem.BadInput, "the %s to split by is empty: write one that a part of the events has", kind)
		}
		d.Name = ""
		if kind == Message {
			d.Value = form(value)
		}
	case Attribute:
		if d.Name == "" {
			return d, problem.New(problem.BadInput, "the attribute to split by has no name: write NAME=VALUE, such as browser.name=Firefox")
		}
	default:
		return d, problem.New(problem.BadInput, "%q cannot be split by: write frame, message or attribute", kind)
	}
	if len(d.Name) > maxName || len(d.Value) > maxValue {
		return d, problem.New(problem.BadInput, "what to split by is too long: names have up to %d bytes, values up to %d", maxName, maxValue)
	}
	return d, nil
}

// form is the form of a message, cut where it becomes unwieldy: both what is
// looked for and what is looked at are cut alike.
func form(message string) string {
	shape, _ := blame.Plain(message)
	return event.TrimText(strings.TrimSpace(shape), maxValue)
}

// Holds says whether an event has what the difference names. Its frames are
// marked as package blame does.
func (d Difference) Holds(e *event.Event, frames [][]event.Frame) bool {
	switch d.Kind {
	case Frame:
		for _, list := range frames {
			for _, f := range list {
				if f.Kind == event.Own && !f.Pending && d.names(f) {
					return true
				}
			}
		}
		return false
	case Message:
		return form(messageOf(e, frames)) == d.Value
	default:
		return value(e, d.Name) == d.Value
	}
}

// names says whether a frame is the one that is meant: by module and function,
// or by its function alone.
func (d Difference) names(f event.Frame) bool {
	function := blame.Function(f)
	return function != "" && (d.Value == function || d.Value == blame.Module(f)+" "+function)
}

// Settled says that every event of a variant has what the difference names,
// because its key says so: the fingerprint read it.
func (d Difference) Settled(print fingerprint.Result) bool {
	switch d.Kind {
	case Frame:
		module, function := "", ""
		for _, p := range print.Parts {
			switch p.What {
			case "module":
				module = p.Value
			case "function":
				function = p.Value
			case "through":
				if d.place(p.Value) {
					return true
				}
			}
		}
		return d.place(print.Caller) || function != "" && d.place(module+" "+function)
	case Message:
		for _, p := range print.Parts {
			if p.What == "message" && p.Value == d.Value {
				return true
			}
		}
	}
	return false
}

// place says whether "module function" is the frame that is meant.
func (d Difference) place(s string) bool {
	i := strings.LastIndexByte(s, ' ')
	return s != "" && (s == d.Value || s[i+1:] == d.Value)
}

// Text is the difference as a sentence: "loadFares is on the stack".
func (d Difference) Text() string {
	switch {
	case d.Kind == Frame:
		return d.Value + " is on the stack"
	case d.Kind == Message:
		return fmt.Sprintf("the message is “%s”", event.TrimText(d.Value, 200))
	case d.Value == "":
		return d.Name + " is absent"
	default:
		return d.Name + " is " + d.Value
	}
}

// messageOf is the message of the exception that is blamed, else the event's.
func messageOf(e *event.Event, frames [][]event.Frame) string {
	i, _, _ := blame.Origin(frames)
	if i < len(e.Exceptions) && e.Exceptions[i].Message != "" {
		return e.Exceptions[i].Message
	}
	return e.Message
}

// value is an attribute of the event, or of what it came from.
func value(e *event.Event, name string) string {
	if v := e.Attributes.Text(name); v != "" {
		return v
	}
	return e.Resource.Text(name)
}
