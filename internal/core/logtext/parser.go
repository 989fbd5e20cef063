// Package logtext finds exceptions in application logs: stack traces of all languages that
// core/stacktrace reads, in lines of text and in JSON log records, with time, severity, logger and
// fields of the record. core/stacktrace decides which lines belong to a trace, so a language added
// there works here too.
//
// Lines of other records do not cut a trace in two, and several writers whose
// lines carry a prefix (containers, processes) are kept apart. Nothing here
// fails; memory is bounded whatever comes.
//
// Reading order: Parser (lines in, events out), line.go (what one line may be),
// record.go (the head of a line of text), jsonline.go (a record that is JSON),
// lanes.go (who wrote a line), found.go (the event).
package logtext

import (
	"slices"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
)

// Bounds of what is held.
const (
	maxLanes   = 64        // writers that are kept apart
	maxPending = 40        // lines that may be the beginning of a trace
	maxText    = 256 << 10 // bytes of one trace
	maxLine    = 16 << 10  // bytes of one line of text
	farAway    = 200       // other lines of its writer after which a trace has ended
	silent     = 1000      // lines of others after which a writer's trace has
)

// Found is an event found in lines.
type Found struct {
	Event  *event.Event
	Offset int64 // of its first line
	Timed  bool  // the log said when it was
}

// Parser reads the lines of one log in order.
type Parser struct {
	lanes map[string]*lane
	count int64 // of lines
	found []Found
	spent int // bytes that expressions were run over, for the proof that a line is bounded
}

// New makes a parser.
func New() *Parser { return &Parser{lanes: map[string]*lane{}} }

// lane is one writer's lines.
type lane struct {
	record  *record
	taken   bool   // the record has an event
	pending []line // what may be the beginning of a trace: the record's message and what follows it
	cut     *cutOff
	trace   *trace
	lines   int64
	count   int64 // of the last line, among all
}

// cutOff is the beginning of a trace that another record came after, before
// its first frame.
type cutOff struct {
	record  *record
	taken   bool
	pending []line
	count   int64 // of lines in its lane
}

// trace is one that has begun.
type trace struct {
	language stacktrace.Language
	lines    []string
	bytes    int
	record   *record // it belongs to
	message  string  // what was said before it
	offset   int64
	count    int64 // of its last line, in its lane
	prefixed bool  // its frames stand in records of their own
}

func (t *trace) add(text string, count int64) {
	t.count = count
	if t.bytes += len(text) + 1; t.bytes <= maxText {
		t.lines = append(t.lines, text)
	}
}

func (t *trace) last() string { return t.lines[len(t.lines)-1] }

// Line reads one line, without its end, that begins at an offset of the log.
// It gives the events that are whole by now.
func (p *Parser) Line(text string, offset int64) []Found {
	p.count++
	name, at, text := split(strings.TrimSuffix(text, "\r"))
	l := p.lane(name)
	l.lines++
	l.count = p.count
	if l.trace != nil && l.lines-l.trace.count > farAway {
		p.endTrace(l)
	}
	if l.cut != nil && l.lines-l.cut.count > farAway {
		p.endCut(l)
	}
	if p.count%silent == 0 {
		p.endSilent()
	}
	x := line{text: event.TrimText(text, maxLine), offset: offset, spent: &p.spent}
	r, rest := jsonRecord(text), text
	alone := r != nil // all of it stands on its line
	if !alone {
		if _, role := x.roleOf(); role == stacktrace.NoRole {
			r, rest = textRecord(text)
		}
		if t := l.trace; r != nil && r.when.IsZero() && t != nil && t.language.GoesOn(text, t.last()) {
			r, rest = nil, text
		}
	}
	if r != nil && r.when.IsZero() {
		r.when = at
	}
	if alone || r != nil && r.stack != "" {
		p.structured(r, offset)
		return p.take()
	}
	if len(rest) != len(text) {
		x = line{text: event.TrimText(rest, maxLine), offset: offset, spent: &p.spent}
	}
	p.plain(l, x, r, record{when: at})
	return p.take()
}

// Flush ends what is open and gives its events.
func (p *Parser) Flush() []Found {
	for _, name := range p.names() {
		p.end(p.lanes[name])
	}
	clear(p.lanes)
	return p.take()
}

// Oldest is the offset of the first line that an event to come may begin with;
// ok is false when there is none.
func (p *Parser) Oldest() (offset int64, ok bool) {
	for _, l := range p.lanes {
		for _, o := range l.offsets() {
			if !ok || o < offset {
				offset, ok = o, true
			}
		}
	}
	return offset, ok
}

func (l *lane) offsets() (out []int64) {
	if l.trace != nil {
		out = append(out, l.trace.offset)
	}
	if l.record != nil {
		out = append(out, l.record.offset)
	}
	if len(l.pending) > 0 {
		out = append(out, l.pending[0].offset)
	}
	if l.cut != nil {
		out = append(out, l.cut.pending[0].offset)
	}
	return out
}

func (p *Parser) take() []Found {
	out := p.found
	p.found = nil
	return out
}

func (p *Parser) names() []string {
	var names []string
	for n := range p.lanes {
		names = append(names, n)
	}
	slices.SortFunc(names, func(a, b string) int { return int(p.lanes[a].count - p.lanes[b].count) })
	return names
}

// lane finds a writer's lane; where there are too many, the one that was
// silent longest ends.
func (p *Parser) lane(name string) *lane {
	if l := p.lanes[name]; l != nil {
		return l
	}
	if len(p.lanes) >= maxLanes {
		oldest := p.names()[0]
		p.end(p.lanes[oldest])
		delete(p.lanes, oldest)
	}
	l := &lane{}
	p.lanes[name] = l
	return l
}

// endSilent ends the lanes of writers that were not heard of for long: what a
// program said last may be why it says nothing more.
func (p *Parser) endSilent() {
	for _, name := range p.names() {
		if l := p.lanes[name]; p.count-l.count >= silent {
			p.end(l)
			delete(p.lanes, name)
		}
	}
}

// end ends a lane's trace and records.
func (p *Parser) end(l *lane) {
	p.endTrace(l)
	p.endCut(l)
	p.endRecord(l)
}

func (p *Parser) endTrace(l *lane) {
	t := l.trace
	if t == nil {
		return
	}
	l.trace = nil
	if e := t.event(); e != nil {
		p.found = append(p.found, Found{e, t.offset, t.record != nil && !t.record.when.IsZero()})
	}
}

// endRecord gives a record that no trace belongs to as a message, where it is
// an error.
func (p *Parser) endRecord(l *lane) {
	if !l.taken {
		p.message(l.record, l.pending)
	}
	l.record, l.taken, l.pending = nil, false, nil
}

// endCut gives up waiting for the frames of a trace that seemed to begin.
func (p *Parser) endCut(l *lane) {
	if c := l.cut; c != nil && !c.taken {
		p.message(c.record, c.pending)
	}
	l.cut = nil
}

// message gives a record as a message, where it is an error.
func (p *Parser) message(r *record, pending []line) {
	if r == nil || r.severity.Number() < 17 {
		return
	}
	var text []string
	for _, x := range pending {
		text = append(text, x.text)
	}
	if e := r.messageEvent(strings.TrimSpace(strings.Join(text, "\n"))); e != nil {
		p.found = append(p.found, Found{e, r.offset, !r.when.IsZero()})
	}
}

// plain reads a line of text: x is what it says, r its record's head where it
// has one, bare what is known of a line without.
func (p *Parser) plain(l *lane, x line, r *record, bare record) {
	if t := l.trace; t != nil {
		p.spent += 3 * len(x.text)
		frame, more := t.language.IsFrame(x.text), t.language.GoesOn(x.text, t.last())
		erred := l.record != nil && l.record != t.record && l.record.severity.Number() >= 17
		switch begins := t.language.Begins(x.text) && (!more || erred); {
		case r != nil && !frame && !(t.prefixed && more):
		case !frame && !more, begins, frame && l.begun(t.language), !frame && l.awaits(&x):
		default:
			t.prefixed = t.prefixed || r != nil
			t.add(x.text, l.lines)
			return
		}
	}
	language, role := x.roleOf()
	if role == stacktrace.Frame {
		p.begin(l, x, r, bare, language)
		return
	}
	if r != nil {
		p.cutOff(l)
		p.endRecord(l)
		r.offset = x.offset
		l.record = r
		l.pending = append(l.pending, x)
		return
	}
	if len(l.pending) >= maxPending {
		if l.record == nil { // the oldest goes
			l.pending = slices.Delete(l.pending, 0, 1)
		} else if stacktrace.Head != role {
			return
		} else {
			l.pending = slices.Delete(l.pending, 1, 2)
		}
	}
	if strings.TrimSpace(x.text) != "" || len(l.pending) > 0 {
		l.pending = append(l.pending, x)
	}
}

// cutOff remembers pending lines that a trace may begin with, when another
// record comes.
func (p *Parser) cutOff(l *lane) {
	begins := false
	for i := range l.pending {
		begins = begins || l.pending[i].beginning().head
	}
	if begins {
		p.endCut(l)
		l.cut = &cutOff{l.record, l.taken, l.pending, l.lines}
		l.taken = true // the message waits with what it may belong to
	}
}

// awaits says whether a line is the first frame of a trace that pending lines
// begin.
func (l *lane) awaits(x *line) bool {
	language, role := x.roleOf()
	return role == stacktrace.Frame && l.begun(language)
}

// begun says whether lines that belong to no trace yet begin one of a language.
func (l *lane) begun(language stacktrace.Language) bool {
	return headOf(l.pending, language) >= 0 || l.cut != nil && headOf(l.cut.pending, language) >= 0
}

// headOf finds where in the pending lines a trace of a language begins; -1
// when none does.
func headOf(pending []line, language stacktrace.Language) int {
	at := -1
	for i := range pending {
		if slices.Contains(pending[i].beginning().languages, language) && (at < 0 || !language.BeginsFirst()) {
			at = i
		}
	}
	return at
}

// begin begins a trace with its first frame. It begins with the last head
// among the pending lines, or else with the line before the frame.
func (p *Parser) begin(l *lane, x line, r *record, bare record, language stacktrace.Language) {
	head := headOf(l.pending, language)
	of := l.record
	var other []line // the message of a record that came between head and frame
	if c := l.cut; head < 0 && c != nil {
		if head = headOf(c.pending, language); head >= 0 {
			if of != nil && len(l.pending) > 0 {
				other, l.pending = l.pending[:1:1], l.pending[1:]
			}
			of, l.pending = c.record, append(slices.Clone(c.pending), l.pending...)
			l.cut = nil
		}
	}
	p.endCut(l)
	if head < 0 && len(l.pending) > 0 && r == nil && !language.Begins(x.text) {
		head = len(l.pending) - 1
	}
	if r != nil && of == nil {
		of = r
	}
	if of == nil && !bare.when.IsZero() {
		of = &bare
	}
	p.endTrace(l)
	t := &trace{language: language, record: of, offset: x.offset, count: l.lines, prefixed: r != nil}
	if head >= 0 {
		t.offset = l.pending[head].offset
		for i, y := range l.pending {
			switch {
			case i < head:
				t.message += y.text + "\n"
			case i == head:
				text := l.pending[i].beginning().text
				t.message += strings.TrimSuffix(y.text, text)
				t.add(text, l.lines)
			default:
				t.add(y.text, l.lines)
			}
		}
	}
	if l.record != nil {
		t.offset = min(t.offset, l.record.offset)
	}
	t.add(x.text, l.lines)
	l.trace, l.taken, l.pending = t, l.taken || other == nil, other
}
