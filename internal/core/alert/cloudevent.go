package alert

import (
	"time"
)

// Envelope is a message as CloudEvents 1.0 has it, in the structured JSON form.
type Envelope struct {
	SpecVersion     string       `json:"specversion"`
	ID              string       `json:"id"`
	Source          string       `json:"source"` // /projects/NAME
	Type            string       `json:"type"`
	Subject         string       `json:"subject,omitempty"` // the issue's id
	Time            string       `json:"time"`
	DataContentType string       `json:"datacontenttype"`
	Data            EnvelopeData `json:"data"`
}

// EnvelopeData is what an Envelope says.
type EnvelopeData struct {
	Alert   EnvelopeAlert  `json:"alert"`
	Issue   *EnvelopeIssue `json:"issue,omitempty"`
	Event   *EnvelopeEvent `json:"event,omitempty"`
	Release string         `json:"release,omitempty"`
	Links   EnvelopeLinks  `json:"links"`
	Alerts  []EnvelopeLine `json:"alerts,omitempty"` // of a digest
	More    int64          `json:"more,omitempty"`   // alerts of a digest that are not listed
}

// EnvelopeAlert names the rule.
type EnvelopeAlert struct {
	Name  string   `json:"name"`
	Names []string `json:"names,omitempty"` // all rules, where several fired
	Why   string   `json:"why"`
}

// EnvelopeIssue is an issue, named as the API names it.
type EnvelopeIssue struct {
	ID           string    `json:"id"`
	Headline     string    `json:"headline"`
	Place        string    `json:"place"`
	State        string    `json:"state"`
	Owner        *string   `json:"owner"`
	Severity     string    `json:"severity"`
	Users        int64     `json:"users"`
	Events       int64     `json:"events"`
	FirstSeen    time.Time `json:"first_seen"`
	FirstRelease string    `json:"first_release"`
}

// EnvelopeEvent is an event, named as the API names it.
type EnvelopeEvent struct {
	ID          string    `json:"id"`
	Time        time.Time `json:"time"`
	Release     string    `json:"release"`
	Environment string    `json:"environment"`
	Exception   string    `json:"exception,omitempty"`
	Frames      []string  `json:"frames,omitempty"` // the innermost own frames, readable
}

// EnvelopeLinks are addresses in the console.
type EnvelopeLinks struct {
	Issue   string `json:"issue,omitempty"`
	Event   string `json:"event,omitempty"`
	Release string `json:"release,omitempty"`
	Accept  string `json:"accept,omitempty"`
	Take    string `json:"take,omitempty"`
}

// EnvelopeLine is an alert in a digest.
type EnvelopeLine struct {
	Text string `json:"text"`
	Link string `json:"link,omitempty"`
}

// CloudEvent is a message for programs.
func CloudEvent(m Message, id string, at time.Time) Envelope {
	e := Envelope{SpecVersion: "1.0", ID: id, Source: "/projects/" + m.Project, Type: Type(m.Trigger),
		Time: at.UTC().Format(time.RFC3339Nano), DataContentType: "application/json",
		Data: EnvelopeData{Alert: EnvelopeAlert{Why: m.Why}, More: m.More,
			Links: EnvelopeLinks{m.Links.Issue, m.Links.Event, m.Links.Release, m.Links.Accept, m.Links.Take}}}
	if len(m.Rules) > 0 {
		e.Data.Alert.Name = m.Rules[0]
	}
	if len(m.Rules) > 1 {
		e.Data.Alert.Names = m.Rules
	}
	if i := m.Issue; i != nil {
		e.Subject = i.ID
		e.Data.Issue = &EnvelopeIssue{
			ID:           i.ID,
			Headline:     i.Headline,
			Place:        i.Place,
			State:        i.State,
			Severity:     i.Severity,
			Users:        i.Users,
			Events:       i.Events,
			FirstSeen:    i.FirstSeen,
			FirstRelease: i.FirstRelease,
		}
		if i.Owner != "" {
			e.Data.Issue.Owner = &i.Owner
		}
	}
	if v := m.Event; v != nil {
		e.Data.Release = v.Release
		e.Data.Event = &EnvelopeEvent{ID: v.ID, Time: v.At, Release: v.Release, Environment: v.Environment,
			Exception: v.Exception, Frames: v.Frames}
	}
	for _, l := range m.Lines {
		e.Data.Alerts = append(e.Data.Alerts, EnvelopeLine(l))
	}
	return e
}
