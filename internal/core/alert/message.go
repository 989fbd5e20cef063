package alert

import (
	"fmt"
	"html"
	"strings"
	"time"
	"unicode"

	"firethorn/internal/core/text"
)

// Issue is an issue as a message shows it.
type Issue struct {
	ID, Headline, Place, State, Owner, Severity string
	Users, Events                               int64
	FirstSeen                                   time.Time
	FirstRelease                                string
}

// Event is the event that a message is about.
type Event struct {
	ID, Release, Environment, Exception string
	At                                  time.Time
	Frames                              []string // the innermost own frames, readable
}

// Links are addresses in the console.
type Links struct {
	Issue, Event, Accept, Take, Change, Release, Unsubscribe string
}

// Line is one alert in a digest.
type Line struct{ Text, Link string }

// Message is what a delivery says.
type Message struct {
	Trigger string // what an issue became, threshold, release.worse, symbols.missing, digest, test
	Project string
	Rules   []string // that fired
	Why     string   // one sentence
	Issue   *Issue
	Event   *Event
	Links   Links
	Lines   []Line // of a digest
	More    int64  // alerts of a digest that are not listed
	Zone    *time.Location

	// Ticket is the one that is closed or reopened, FixedIn the release that has the fix; By who
	// asked for a ticket, "" for a rule; Another says that it is wanted beside an open one.
	Ticket  int64  `json:",omitempty"`
	FixedIn string `json:",omitempty"`
	By      string `json:",omitempty"`
	Another bool   `json:",omitempty"`
}

// titles say what happened, in a word or two.
var titles = map[string]string{
	"new":                "New",
	"regressed":          "Came back",
	"woken":              "Woke up",
	"surging":            "Surging",
	"fixed":              "Fixed",
	"holding":            "Fix holds",
	"assigned":           "Assigned",
	"commented":          "Comment",
	"threshold":          "Threshold reached",
	"release.worse":      "Worse release",
	"symbols.missing":    "Unreadable traces",
	"digest":             "Digest",
	"test":               "Test",
	"destination.paused": "Destination paused",
	"ticket.create":      "Ticket",
	"ticket.close":       "Close ticket",
	"ticket.reopen":      "Reopen ticket",
}

// maxSubject is how long a subject may be, in characters: a phone shows about as many.
const maxSubject = 110

// maxWhy is how long the sentence that says why may be, in characters.
const maxWhy = 300

// Subject is the first thing people read: what, where, how many.
func (m Message) Subject() string {
	what := titles[m.Trigger]
	switch {
	case m.Trigger == "digest":
		return clean(fmt.Sprintf("%s: %s", m.Project, text.Counted(int64(len(m.Lines))+m.More, "alert")), maxSubject)
	case m.Issue == nil:
		return clean(fmt.Sprintf("%s in %s: %s", what, m.Project, m.Why), maxSubject)
	}
	tail := ", " + text.Counted(m.Issue.Users, "user")
	head := clean(fmt.Sprintf("%s in %s: %s", what, m.Project, m.Issue.Headline), maxSubject-len([]rune(tail)))
	return head + tail
}

// clean makes one line of plain text of at most so many characters.
func clean(s string, limit int) string {
	s = strings.Map(func(c rune) rune {
		switch {
		case unicode.IsSpace(c):
			return ' '
		case !unicode.IsPrint(c) || unicode.Is(unicode.Bidi_Control, c):
			return -1
		}
		return c
	}, s)
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > limit {
		s = string(r[:limit-1]) + "…"
	}
	return s
}

// First is the first line of the text: what, where, how many, since when, who has it.
func (m Message) First() string {
	i := m.Issue
	switch {
	case m.Trigger == "digest":
		return m.Subject()
	case i == nil:
		return clean(m.Why, maxWhy)
	}
	b := clean(i.Headline, 200)
	if i.Place != "" {
		b += " at " + clean(i.Place, 150)
	}
	if e := m.Event; e != nil {
		b += " in " + clean(strings.TrimSpace(e.Environment+" "+e.Release), 120)
	}
	b += fmt.Sprintf(
		": %s, %s since %s",
		text.Counted(i.Users, "user"),
		text.Counted(i.Events, "event"),
		m.moment(i.FirstSeen),
	)
	if i.Owner != "" {
		return b + "; " + clean(i.Owner, 100) + " has it."
	}
	return b + "; it has no owner."
}

// Description is the first line, and below it why the message is sent where that says more.
func (m Message) Description() string {
	if m.Issue == nil || m.Why == "" {
		return m.First()
	}
	return m.First() + "\n" + clean(m.Why, maxWhy)
}

func (m Message) moment(at time.Time) string {
	zone := m.Zone
	if zone == nil {
		zone = time.UTC
	}
	return at.In(zone).Format("2 Jan 15:04 MST")
}

// part is a paragraph of a message: a line, or several that represent themselves.
type part struct {
	lines []string
	code  bool
	link  string
}

func (m Message) parts() (out []part) {
	add := func(line string) { out = append(out, part{lines: []string{line}}) }
	add(m.First())
	if m.Why != "" && m.Issue != nil {
		add(clean(m.Why, maxWhy))
	}
	if m.Event != nil && (m.Event.Exception != "" || len(m.Event.Frames) > 0) {
		p := part{code: true}
		if m.Event.Exception != "" {
			p.lines = append(p.lines, clean(m.Event.Exception, 200))
		}
		for _, f := range m.Event.Frames {
			p.lines = append(p.lines, "  "+clean(f, 160))
		}
		out = append(out, p)
	}
	for _, l := range m.Lines {
		out = append(out, part{lines: []string{clean(l.Text, 200)}, link: l.Link})
	}
	if m.More > 0 {
		add(fmt.Sprintf("And %s.", text.Counted(m.More, "more alert")))
	}
	for _, l := range []struct{ name, link string }{{"Issue", m.Links.Issue}, {"Event", m.Links.Event},
		{"Likely changes", m.Links.Change}, {"Release", m.Links.Release}, {"Accept it", m.Links.Accept},
		{"Take it", m.Links.Take}} {
		if l.link != "" {
			out = append(out, part{lines: []string{l.name}, link: l.link})
		}
	}
	return out
}

// footer says why its reader gets the message.
func (m Message) footer() string {
	if len(m.Rules) == 0 {
		return "Sent by Firethorn."
	}
	names := make([]string, len(m.Rules))
	for i, r := range m.Rules {
		names[i] = fmt.Sprintf("%q", clean(r, 60))
	}
	word := "rule "
	if len(names) > 1 {
		word = "rules "
	}
	return "Sent by Firethorn for the alert " + word + strings.Join(names, ", ") + " of " + m.Project + "."
}

// Text is the message as plain text, about 78 characters wide where words allow it.
func (m Message) Text() string {
	var b strings.Builder
	links := false
	for i, p := range m.parts() {
		isLink := p.link != "" && len(m.Lines) == 0
		if i > 0 && (!isLink || !links) {
			b.WriteByte('\n')
		}
		links = isLink
		switch {
		case isLink:
			fmt.Fprintf(&b, "%-15s %s\n", p.lines[0]+":", p.link)
		case p.link != "":
			fmt.Fprintf(&b, "%s\n  %s\n", p.lines[0], p.link)
		default:
			b.WriteString(strings.Join(p.lines, "\n") + "\n")
		}
	}
	b.WriteString("\n-- \n" + m.footer() + "\n")
	if m.Links.Unsubscribe != "" {
		b.WriteString("No more of these by mail: " + m.Links.Unsubscribe + "\n")
	}
	return b.String()
}

// HTML is the message for mail programs: no image, no style that a phone would not have.
func (m Message) HTML() string {
	var b strings.Builder
	b.WriteString(
		`<!doctype html><html><body style="font:15px/1.45 sans-serif;max-width:42em;margin:1em auto;padding:0 .8em">`,
	)
	for i, p := range m.parts() {
		lines := html.EscapeString(strings.Join(p.lines, "\n"))
		switch {
		case p.code:
			b.WriteString(
				`<pre style="font-size:13px;overflow:auto;padding:.6em;border:1px solid #8886">` + lines + "</pre>",
			)
		case p.link != "":
			b.WriteString(
				`<p style="margin:.3em 0"><a href="` + html.EscapeString(p.link) + `">` + lines + "</a></p>",
			)
		case i == 0:
			b.WriteString("<p><b>" + lines + "</b></p>")
		default:
			b.WriteString("<p>" + lines + "</p>")
		}
	}
	b.WriteString(`<p style="font-size:13px;opacity:.7">` + html.EscapeString(m.footer()))
	if m.Links.Unsubscribe != "" {
		b.WriteString(` <a href="` + html.EscapeString(m.Links.Unsubscribe) + `">No more of these by mail</a>`)
	}
	b.WriteString("</p></body></html>\n")
	return b.String()
}

// quietMarks replaces what chat servers act on: markup in angle brackets, and names that
// call people.
var quietMarks = strings.NewReplacer("<", "‹", ">", "›", "@", "@\u200b", "`", "'", "*", "∗")

// Chat is the message for a chat room: a few lines, without anything that a chat server
// acts on.
func (m Message) Chat() string {
	var b strings.Builder
	first := m.First()
	if m.Trigger != "digest" { // whose first line names the project
		first = titles[m.Trigger] + " in " + m.Project + ": " + first
	}
	b.WriteString(quietMarks.Replace(first))
	if m.Issue != nil && m.Why != "" {
		b.WriteString("\n" + quietMarks.Replace(clean(m.Why, maxWhy)))
	}
	if m.Event != nil && len(m.Event.Frames) > 0 {
		b.WriteString("\n" + quietMarks.Replace(clean(m.Event.Frames[0], 160)))
	}
	for i, l := range m.Lines {
		if i == 10 {
			break
		}
		b.WriteString("\n" + quietMarks.Replace(clean(l.Text, 160)) + " " + l.Link)
	}
	if more := m.More + max(0, int64(len(m.Lines))-10); more > 0 {
		fmt.Fprintf(&b, "\nand %s", text.Counted(more, "more alert"))
	}
	for _, link := range []string{m.Links.Issue, m.Links.Release} {
		if link != "" {
			b.WriteString("\n" + link)
		}
	}
	return b.String()
}

// Type is the type of the message's CloudEvent.
func Type(trigger string) string {
	switch trigger {
	case "release.worse", "symbols.missing", "digest", "test", "destination.paused", "ticket.create", "ticket.close",
		"ticket.reopen":
		return "firethorn." + trigger
	}
	return "firethorn.issue." + trigger
}
