package alert

import "strings"

// maxTitle is how long the title of a ticket may be, in characters.
const maxTitle = 180

// Title is the message as the title of a ticket.
func (m Message) Title() string {
	if m.Issue == nil {
		return clean(m.Subject(), maxTitle)
	}
	s := m.Issue.Headline
	if m.Issue.Place != "" && !strings.Contains(s, m.Issue.Place) {
		s = clean(s, maxTitle-60) + " at " + m.Issue.Place
	}
	return clean(s, maxTitle)
}

// Markdown is the message as the text of a ticket: CommonMark, with the trace as code.
func (m Message) Markdown() string {
	var b strings.Builder
	list := false
	for i, p := range m.parts() {
		link := p.link != ""
		if i > 0 && (!link || !list) {
			b.WriteByte('\n')
		}
		list = link
		switch {
		case p.code:
			fence := "```"
			for strings.Contains(strings.Join(p.lines, "\n"), fence) {
				fence += "`"
			}
			b.WriteString(fence + "\n" + strings.Join(p.lines, "\n") + "\n" + fence + "\n")
		case link:
			b.WriteString("- [" + plain.Replace(p.lines[0]) + "](" + p.link + ")\n")
		default:
			b.WriteString(plain.Replace(strings.Join(p.lines, "\n")) + "\n")
		}
	}
	return b.String()
}

// plain keeps what was reported from being read as markup, or from calling people.
var plain = strings.NewReplacer("\\", "\\\\", "<", "\\<", ">", "\\>", "[", "\\[", "]", "\\]", "*", "\\*", "_", "\\_",
	"`", "\\`", "#", "\\#", "|", "\\|", "@", "@\u200b")

// Labels are words for the labels of a ticket: the project, the severity, the environment.
func (m Message) Labels() []string {
	out := []string{"firethorn", m.Project}
	if m.Issue != nil && m.Issue.Severity != "" {
		out = append(out, m.Issue.Severity)
	}
	if m.Event != nil && m.Event.Environment != "" {
		out = append(out, m.Event.Environment)
	}
	return out
}
