package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scrub"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
)

// sorter scrubs a request's events, checks their structure, and puts them into
// a parcel for each project they go to.
type sorter struct {
	in     *Intake
	grant  *projects.KeyGrant
	origin string // of the page that sent the request; "" for other senders
	from   string // the address that the request counts for
	opened *opened

	parcels []*parcel
	answer  Answer
}

// parcel is what goes to one project.
type parcel struct {
	project  *projects.Project
	batch    pipeline.Batch
	resource scrub.Report // what was scrubbed of the envelope's resource
	weight   int64        // of events, each with all it represents
}

// chunkBytes bounds one row of the inbox.
const chunkBytes = 256 << 10

// chunks cuts a parcel into parts for one inbox row each.
func (p *parcel) chunks() iter.Seq[*pipeline.Batch] {
	b := &p.batch
	return func(yield func(*pipeline.Batch) bool) {
		for from := 0; from < len(b.Events); {
			to, size := from, 0
			for to < len(b.Events) && (to == from || size+len(b.Events[to]) <= chunkBytes) && to-from < 200 {
				size += len(b.Events[to])
				to++
			}
			if !yield(b.Part(from, to)) {
				return
			}
			from = to
		}
	}
}

func (s *sorter) run(ctx context.Context) error {
	shared := ""
	if s.grant.Key.Routes {
		shared = serviceName(s.opened.resource)
	}
	for _, piece := range s.opened.pieces {
		if len(piece.raw) > s.in.lim.Event {
			s.refuse(piece.index, "the event has %d bytes; %d are the most", len(piece.raw), s.in.lim.Event)
			continue
		}
		project := s.grant.Project
		if s.grant.Key.Routes {
			var own struct{ Resource json.RawMessage }
			service := shared
			if json.Unmarshal(piece.raw, &own) == nil && len(own.Resource) > 0 {
				if name := serviceName(own.Resource); name != "" {
					service = name
				}
			}
			var err error
			if project, err = s.in.route(ctx, s.grant.Project, service); err != nil {
				return err
			}
			if project != s.grant.Project {
				if err := s.in.admits(project); err != nil {
					return err
				}
				if err := admitsOrigin(project, s.origin); err != nil {
					s.refuse(piece.index, "%v", err)
					continue
				}
			}
		}
		p, err := s.parcel(project)
		if err != nil {
			return err
		}
		s.take(p, piece)
	}
	return nil
}

// parcel is the one that goes to a project.
func (s *sorter) parcel(project *projects.Project) (*parcel, error) {
	for _, p := range s.parcels {
		if p.project.ID == project.ID {
			return p, nil
		}
	}
	p := &parcel{project: project}
	p.batch.Sent, p.batch.Received = s.opened.sent, s.in.now().UTC()
	if project.LocateUsers && s.origin != "" && s.in.countries != nil { // a server's address says nothing of users
		p.batch.Country = s.in.countries.Of(s.from)
	}
	if len(s.opened.resource) > 0 {
		clean, report, err := project.Rules.Policy().JSON(s.opened.resource)
		if err != nil {
			return nil, unreadable(s.opened.resource, err)
		}
		p.batch.Resource, p.resource = clean, report
		for i := range p.resource {
			p.resource[i].Where = "resource." + p.resource[i].Where
		}
	}
	s.parcels = append(s.parcels, p)
	return p, nil
}

func (s *sorter) refuse(i int, format string, args ...any) {
	s.answer.refuse(i, fmt.Sprintf(format, args...))
}

// take scrubs one event, checks its structure and adds it to a parcel.
func (s *sorter) take(p *parcel, of piece) {
	raw, report, err := p.project.Rules.Policy().JSON(of.raw)
	if err != nil {
		s.refuse(of.index, "the event is %v", err)
		return
	}
	h := of.head
	if h == nil || len(report) > 0 { // scrubbing changed it: it has to be JSON still
		h, err = readHead(raw)
	}
	switch syntax, ok := errors.AsType[*jsontext.SyntacticError](err); {
	case ok:
		s.refuse(of.index, "no JSON: %v at byte %d", syntax.Err, syntax.ByteOffset)
		return
	case errors.Is(err, io.ErrUnexpectedEOF):
		s.refuse(of.index, "no JSON: it ends in the middle")
		return
	case err != nil || h.odd:
		s.refuse(of.index, "%v", errNoObject)
		return
	case !h.message && !h.exceptions:
		s.refuse(of.index, "%v", event.ErrEmpty)
		return
	}
	if h.log && !h.exceptions && !p.project.WantsLog(h.severity) {
		s.answer.LetGo++
		return
	}
	id := uuid.UUID{}
	if h.id == "" {
		id, err = uuid.NewV7()
	} else if id, err = uuid.Parse(h.id); err != nil || len(h.id) != 36 {
		err = fmt.Errorf("the id %.60q is no UUID (RFC 9562); leave it out and the service makes one", h.id)
	}
	if err != nil {
		s.refuse(of.index, "%v", err)
		return
	}
	b := &p.batch
	if report = append(report, p.resource...); len(report) > 0 && b.Scrubbed == nil {
		b.Scrubbed = make([]scrub.Report, len(b.Events), len(s.opened.pieces))
	}
	if b.Scrubbed != nil {
		b.Scrubbed = append(b.Scrubbed, report)
	}
	if b.Users != nil || pipeline.NamesUser(report) {
		for len(b.Users) < len(b.Events) {
			b.Users = append(b.Users, pipeline.User{})
		}
		user := pipeline.User{}
		if pipeline.NamesUser(report) {
			user = pipeline.UserOf(p.project.UserSecret, of.raw, s.opened.resource)
		}
		b.Users = append(b.Users, user)
	}
	b.Events = append(b.Events, raw)
	b.IDs = append(b.IDs, id)
	p.weight += h.standsFor
}
