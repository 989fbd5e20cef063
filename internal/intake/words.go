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

// wordKind is a kind of message that is no event.
type wordKind struct {
	list string // its name in an envelope
	read func(raw, resource json.RawMessage) (id uuid.UUID, about *event.Event, err error)
	pack func(b *pipeline.Batch, words []pipeline.Word) *pipeline.Batch
	most int // bytes of one
}

var sessions = wordKind{list: "sessions", most: 64 << 10,
	read: func(raw, resource json.RawMessage) (uuid.UUID, *event.Event, error) {
		m, err := session.Decode(raw, resource)
		if err != nil {
			return uuid.Nil, nil, err
		}
		return uuid.Nil, &m.About, nil
	},
	pack: func(b *pipeline.Batch, words []pipeline.Word) *pipeline.Batch { return b.Words(words, nil) },
}

var feedbacks = wordKind{list: "feedback", most: 1 << 20,
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
	pack: func(b *pipeline.Batch, words []pipeline.Word) *pipeline.Batch { return b.Words(nil, words) },
}

// wordsAtOnce is how many words one row of the inbox holds.
const wordsAtOnce = 150

// words takes messages of a kind in: scrubbed, structured as they must be, and
// stored before the answer.
func (in *Intake) words(of wordKind) func(http.ResponseWriter, *http.Request, *projects.KeyGrant) error {
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
		homes := map[*projects.Project][]pipeline.Word{}
		for _, piece := range got.pieces {
			project, word, err := in.word(r, of, g, got.resource, piece)
			if err != nil {
				return err
			}
			if project == nil {
				answer.refuse(piece.index, word.refusal)
				continue
			}
			homes[project] = append(homes[project], word.Word)
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
			for chunk := range slices.Chunk(words, wordsAtOnce) {
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

// heard is a word, or why it cannot be taken.
type heard struct {
	pipeline.Word
	refusal string
}

// word reads one message and scrubs it; without a project it is refused.
func (in *Intake) word(r *http.Request, of wordKind, g *projects.KeyGrant, resource json.RawMessage,
	p piece) (*projects.Project, heard, error) {
	if len(p.raw) > of.most {
		return nil, heard{refusal: fmt.Sprintf("it has %d bytes; %d are the most", len(p.raw), of.most)}, nil
	}
	id, about, err := of.read(p.raw, resource)
	if err != nil {
		return nil, heard{refusal: err.Error()}, nil
	}
	project := g.Project
	if g.Key.Routes {
		if project, err = in.route(r.Context(), g.Project, about.Resource.Text("service.name")); err != nil {
			return nil, heard{}, err
		}
		if err := in.admits(project); err != nil {
			return nil, heard{}, err
		}
		if err := admitsOrigin(project, r.Header.Get("Origin")); err != nil {
			return nil, heard{refusal: err.Error()}, nil
		}
	}
	clean, _, err := project.Rules.Policy().JSON(p.raw)
	if err != nil {
		return nil, heard{refusal: err.Error()}, nil
	}
	return project, heard{Word: pipeline.Word{ID: id, Raw: clean, User: pipeline.UserNamed(project.UserSecret, about)}},
		nil
}
