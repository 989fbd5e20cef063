package intake

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/feedback"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// messageKind is a kind of message that is no event.
type messageKind struct {
	list  string // its name in an envelope
	read  func(raw, resource json.RawMessage) (id uuid.UUID, about *event.Event, err error)
	pack  func(b *pipeline.Batch, words []pipeline.Message) *pipeline.Batch
	limit int // bytes of one
}

var sessions = messageKind{list: "sessions", limit: 64 << 10,
	read: func(raw, resource json.RawMessage) (uuid.UUID, *event.Event, error) {
		m, err := session.Decode(raw, resource)
		if err != nil {
			return uuid.Nil, nil, err
		}
		return uuid.Nil, &m.About, nil
	},
	pack: func(b *pipeline.Batch, words []pipeline.Message) *pipeline.Batch { return b.OfMessages(words, nil) },
}

var feedbacks = messageKind{list: "feedback", limit: 1 << 20,
	read: func(raw, resource json.RawMessage) (uuid.UUID, *event.Event, error) {
		f, err := feedback.Decode(raw, resource)
		if err != nil {
			return uuid.Nil, nil, err
		}
		if f.ID == uuid.Nil {
			f.ID, err = uuid.NewV7()
		}
		return f.ID, &f.About, err
	},
	pack: func(b *pipeline.Batch, words []pipeline.Message) *pipeline.Batch { return b.OfMessages(nil, words) },
}

// messagesAtOnce is how many words one row of the inbox holds.
const messagesAtOnce = 150

// messages takes messages of a kind in: scrubbed, structured as they must be, and
// stored before the answer.
func (in *Intake) messages(of messageKind) func(http.ResponseWriter, *http.Request, *projects.KeyGrant) error {
	return func(w http.ResponseWriter, r *http.Request, g *projects.KeyGrant) error {
		lines, err := lineWise(r.Header.Get("Content-Type"))
		if err != nil {
			return err
		}
		raw, load, err := in.readTwice(w, r)
		defer load.release()
		if err != nil {
			return err
		}
		got, err := open(raw, lines, of.list)
		if err != nil {
			return err
		}
		if err := in.allowance.usedUp(g.Project, in.now()); err != nil {
			return in.over(g.Project, len(got.pieces), err)
		}
		answer := Answer{Refused: []Refused{}}
		homes := map[*projects.Project][]pipeline.Message{}
		for _, piece := range got.pieces {
			project, word, err := in.readMessage(r, of, g, got.resource, piece)
			if err != nil {
				return err
			}
			if project == nil {
				answer.refuse(piece.index, word.refusal)
				continue
			}
			homes[project] = append(homes[project], word.Message)
			answer.Stored++
		}
		in.countRefused(g.Project.ID, &answer)
		taken := taking{in: in, ctx: r.Context(), from: web.Sender(r)}
		defer taken.giveBack()
		for project, words := range homes {
			if err := taken.take(project, int64(len(words)), int64(len(words))); err != nil {
				return err
			}
		}
		for project, words := range homes {
			b := &pipeline.Batch{Sent: got.sent, Received: in.now().UTC()}
			if len(got.resource) > 0 {
				if b.Resource, _, err = project.Rules.Policy().JSON(got.resource); err != nil {
					return unreadable(got.resource, err)
				}
			}
			for chunk := range slices.Chunk(words, messagesAtOnce) {
				if err := in.inbox.Append(r.Context(), project.ID, of.pack(b, chunk)); err != nil {
					return err
				}
			}
			taken.keep(project)
			in.wake(project.ID)
		}
		return web.WriteJSON(w, answer.status(), answer)
	}
}

// message is a word, or why it cannot be taken.
type message struct {
	pipeline.Message
	refusal string
}

// readMessage reads one message and scrubs it; without a project it is refused.
func (in *Intake) readMessage(r *http.Request, of messageKind, g *projects.KeyGrant, resource json.RawMessage,
	p piece) (*projects.Project, message, error) {
	if len(p.raw) > of.limit {
		return nil, message{refusal: fmt.Sprintf("it has %d bytes; %d are the most", len(p.raw), of.limit)}, nil
	}
	id, about, err := of.read(p.raw, resource)
	if err != nil {
		return nil, message{refusal: err.Error()}, nil
	}
	project := g.Project
	if g.Key.Routes {
		if project, err = in.route(r.Context(), g.Project, about.Resource.Text("service.name")); err != nil {
			return nil, message{}, err
		}
		if err := in.admits(project); err != nil {
			return nil, message{}, err
		}
		if err := admitsOrigin(project, r.Header.Get("Origin")); err != nil {
			return nil, message{refusal: err.Error()}, nil
		}
	}
	clean, _, err := project.Rules.Policy().JSON(p.raw)
	if err != nil {
		return nil, message{refusal: err.Error()}, nil
	}
	return project, message{Message: pipeline.Message{
			ID: id, Raw: clean, User: pipeline.UserNamed(project.UserSecret, about)}},
		nil
}
