package ingest

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/names"
	"firethorn/internal/store/segments"
	"firethorn/internal/usecase/status"
)

// Batch is one transaction's work: deliveries of one project, and what the pipeline
// made of them.
type Batch struct {
	Project    pipeline.Project
	Lease      inbox.Lease
	Deliveries []inbox.Delivery
	Items      []*pipeline.Item
	Dropped    []*pipeline.Item // by the project's rules: counted, not processed
	Sessions   []SessionMessage
	Feedback   []*Feedback
	Failed     []inbox.FailedEvent
	More       bool // other deliveries of the claim are still claimed

	// Alone is set where events of a claim are processed one by one: which of them
	// are, with this one, as Claim.Done has it. It is written down with the event.
	Alone []byte
}

// Done says what processing a batch did.
type Done struct {
	Events  int // new ones
	Repeats int // and reports that were joined to other ones
	Issues  int // new ones
}

// Process writes events, counters, users, trends, history and the removal from the
// inbox in one transaction. An event that was processed before is dropped.
func (s *Service) Process(ctx context.Context, f Batch) (Done, error) {
	var done Done
	var found names.Learned
	var called []segments.Called
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		now := s.db.Now().UTC()
		w := &batchTx{s: s, tx: tx, Batch: f, now: now, bodies: map[int64]int64{}, fresh: map[int64]*row{},
			remembered: map[[16]byte]int{}, tiedTo: map[tie]bool{}, issues: map[int64]*issueRow{}, caps: caps{tx: tx,
				project: f.Project.ID, now: now}}
		err := w.run(ctx)
		done, found, called = w.done, w.found, w.called
		return err
	})
	if err == nil {
		s.names.Learn(found)
		s.identities.Remember(f.Project.ID, called)
	}
	return done, err
}

// batchTx is the state of one try of one transaction.
type batchTx struct {
	s  *Service
	tx *sql.Tx
	Batch
	now        time.Time
	done       Done
	caps       caps
	inputs     issues.ScoringInputs
	newRelease bool // of a release for the first time
	tally      inbox.Tally

	found names.Learned // ids of names, for the cache once they are committed

	lastIssue, position int64
	before, indexed     int64             // positions at the beginning: used, and known to the search index
	userNumbers         int64             // how many users have one
	called              []segments.Called // names of users that were written
	symbolsVersion      int64             // of the project now
	apart               bool              // parts were split off issues of the project
	feedbackWaits       bool              // for events that are not processed
	keepDays            int               // the project's class as it is now
	classes             []int             // it and those whose events are still kept
	rels, envs, ress    map[string]int64
	rows                []*row
	occasions           []occasion // what the batch made of issues, for alert rules
	variants            map[fingerprint.Key]*variantRow
	issues              map[int64]*issueRow
	bodies              map[int64]int64  // variant → bodies kept of this batch
	fresh               map[int64]*row   // variants made in this batch → the event they were made of
	reports             []reported       // that tell occurrences
	remembered          map[[16]byte]int // how many there are of a trace and message
	lateUsers           []lateUser
	joins               []joinedTo
	ties                []tie
	tied                map[fingerprint.Key][]fingerprint.Key // fingerprints of this batch that belong to one issue
	tiedTo              map[tie]bool                          // what leads there already
}

// row is an event about to be written.
type row struct {
	*pipeline.Item
	Print                  fingerprint.Result // as it is processed: caps may change the item's own
	Release                string             // likewise
	odd                    bool               // its own time does not say where it is stored
	kept                   bool               // its body is
	joined                 bool               // another report added to its body
	severity               string             // as it says then
	number                 uint32             // of its user, in the search index
	storeDay, keepDay      int
	position               int64
	release, env, resource int64 // 0: none
	variant                *variantRow
	issue                  *issueRow
}

// sentMicros is the time as sent, 0 when there was none.
func (r *row) sentMicros() int64 {
	if r.When.Sent.IsZero() {
		return 0
	}
	return db.Micros(r.When.Sent)
}

type variantRow struct {
	ID, issue int64
	exemplars int
	hash      fingerprint.Key          // its own
	print     fingerprint.Key          // what it was processed under
	forms     map[fingerprint.Key]bool // raw forms that are kept
}

// run is the batch transaction: all of it happens, or nothing does.
func (w *batchTx) run(ctx context.Context) error {
	if err := w.do(ctx,
		w.lockProject, // one writer a project from here to the commit
		w.chooseDays,  // under which each event is stored
		w.dropRepeats,
		w.joinOccurrences, // reports of one exception become one event
	); err != nil {
		return err
	}
	var steps []step
	switch {
	case len(w.rows) > 0:
		steps = []step{
			w.internNames, w.tieFirst, w.chooseVariants, w.countFiles, // which variant and issue each event belongs to
			w.loadIssues, w.loadDictionaries, w.chooseBodies, // which bodies are kept
			w.writeEvents, w.meetFeedback, w.writeOccurrences, w.writeTies,
			w.writeBodies, w.writeExemplars, w.writeNewest,
			w.writeFacts, w.writeSegments, // what is searched
			w.count, w.writeIssues, // counters, the list, statuses
		}
	case len(w.lateUsers) > 0: // nothing new, but events that are there got users
		steps = []step{w.tieFirst, w.writeOccurrences, w.loadIssues, w.count, w.writeIssues, w.writeSegments}
	default:
		steps = []step{w.tieFirst, w.writeOccurrences, w.writeSegments}
	}
	if err := w.do(ctx, steps...); err != nil {
		return err
	}
	return w.do(ctx,
		w.writeSessions, w.writeFeedback, w.keepFailed,
		w.countReceived, w.caps.write,
		w.alert, // who should be notified of it
		w.clearInbox, w.advance,
		w.fence, // last: the shard is still ours
	)
}

// step is a part of the batch transaction.
type step func(context.Context) error

// do runs steps until one fails.
func (w *batchTx) do(ctx context.Context, steps ...step) error {
	for _, step := range steps {
		if err := step(ctx); err != nil {
			return err
		}
	}
	return nil
}

// keepFailed keeps the events that could not be processed.
func (w *batchTx) keepFailed(ctx context.Context) error { return inbox.AddFailed(ctx, w.tx, w.Failed) }

// clearInbox takes what was processed out of the inbox.
func (w *batchTx) clearInbox(ctx context.Context) error {
	if err := w.s.inbox.RemoveDeliveries(ctx, w.tx, w.Deliveries, w.More); err != nil || w.Alone == nil {
		return err
	}
	return w.s.db.ExecPrepared(ctx, w.tx, "UPDATE claim SET done=? WHERE project=?", []any{w.Alone, w.Project.ID})
}

// advance writes how far the project's numbers are.
func (w *batchTx) advance(ctx context.Context) error {
	return w.s.db.ExecPrepared(ctx, w.tx, "UPDATE project_counter SET last_issue=?, filing=?, indexed=?, changed=changed+1 WHERE project=?", []any{w.lastIssue, w.position, w.position, w.Project.ID})
}

// fence fails where another process has the shard now.
func (w *batchTx) fence(ctx context.Context) error { return w.s.inbox.Fence(ctx, w.tx, w.Lease) }

// lockProject takes the lock that makes the rest one writer a project: what is
// read from here on stays true until the commit.
func (w *batchTx) lockProject(ctx context.Context) error {
	var clock int64
	err := w.s.db.FirstPrepared(ctx, w.tx, db.Into{"last_issue": &w.lastIssue, "filing": &w.position,
		"indexed": &w.indexed,
		"users":   &w.userNumbers, "symbols_version": &w.symbolsVersion, "apart": &w.apart, "waits": &w.feedbackWaits,
		"clock": &clock},
		"SELECT last_issue, filing, indexed, users, symbols_version, EXISTS (SELECT 1 FROM split WHERE project=? AND active=1) AS apart, EXISTS (SELECT 1 FROM feedback WHERE project=? AND waiting=1) AS waits, "+db.Clock+" AS clock FROM project_counter WHERE project=? FOR UPDATE",
		w.Project.ID, w.Project.ID, w.Project.ID)
	if err != nil {
		return fmt.Errorf("counter of project %d: %w", w.Project.ID, err)
	}
	w.before = w.position
	// The days that events are stored under come from this clock, and those that
	// are dropped from another process's: where they are apart, nothing is processed.
	if skew := db.FromMicros(clock).Sub(w.s.db.Now().Add(-w.s.db.Ahead)); skew > w.s.db.MaxSkew ||
		skew < -w.s.db.MaxSkew {
		return fmt.Errorf("%w by %s: processing stops until they agree", db.ErrClocks, skew.Round(time.Second))
	}
	if len(w.Items)+len(w.Feedback)+len(w.Sessions) == 0 {
		return nil
	}
	if w.inputs, err = w.s.issues.ScoringInputs(ctx, w.tx, w.Project.ID); err != nil {
		return err
	}
	return db.Each(ctx, w.tx, func(r *sql.Rows) error {
		var days int
		err := r.Scan(&days)
		if w.keepDays == 0 {
			w.keepDays = days
		}
		w.classes = append(w.classes, days)
		return err
	}, "SELECT keep_days FROM project WHERE id=? UNION ALL SELECT keep_days FROM project_class WHERE project=? AND until_day>=?", w.Project.ID, w.Project.ID, db.Day(w.now))
}

// chooseDays gives each item its days: a pure function of the time as sent, so that
// a repeat lands where the first one did. An event whose day is past being
// kept counts as one whose time cannot be used: its partition may be going.
func (w *batchTx) chooseDays(context.Context) error {
	today := db.Day(w.now)
	for _, it := range w.Items {
		r := &row{Item: it, Print: it.Print, Release: it.Release, odd: it.When.Odd}
		if !r.odd {
			r.storeDay = db.Day(it.When.Sent)
			r.odd = r.storeDay+w.keepDays < today
		}
		if r.odd {
			r.storeDay = db.Day(it.Received)
			if r.storeDay+w.keepDays < today {
				r.storeDay = today
			}
		}
		r.keepDay = r.storeDay + w.keepDays
		w.rows = append(w.rows, r)
	}
	return nil
}

func (w *batchTx) internNames(ctx context.Context) error {
	var rels, envs, ress []string
	res := make([]string, len(w.rows))
	for i, r := range w.rows {
		if r.Release != "" {
			rels = append(rels, r.Release)
		}
		envs = append(envs, r.Environment)
		res[i] = resourceText(r.Event.Resource)
		ress = append(ress, res[i])
	}
	var err error
	if w.rels, err = w.intern(ctx, names.Releases, newReleases, rels); err != nil {
		return err
	}
	if w.envs, err = w.intern(ctx, names.Environments, newEnvironments, envs); err != nil {
		return err
	}
	if w.ress, err = w.intern(ctx, names.Resources, newResources, ress); err != nil {
		return err
	}
	for i, r := range w.rows {
		r.release, r.env, r.resource = w.rels[r.Release], w.envs[r.Environment], w.ress[res[i]]
		if r.release == 0 && r.Release != "" { // one too many: its body alone says it
			r.Release = ""
			w.tally.Add(r.Received, inbox.CauseCapped, newReleases.what, 1)
		}
		if r.resource == 0 {
			w.tally.Add(r.Received, inbox.CauseCapped, newResources.what, 1)
		}
		if r.env == 0 {
			w.tally.Add(r.Received, inbox.CauseCapped, newEnvironments.what, 1)
			if r.env, err = w.otherEnvironment(ctx); err != nil {
				return err
			}
		}
	}
	return nil
}

// otherEnvironment is where those stand whose environment is one too many.
func (w *batchTx) otherEnvironment(ctx context.Context) (int64, error) {
	other, err := w.s.names.Intern(ctx, w.tx, names.Wanted{Table: names.Environments, Project: w.Project.ID,
		Names: []string{otherEnvironment}, Now: db.Micros(w.now), Found: &w.found})
	return other[otherEnvironment], err
}

// intern gives the ids of wanted; new ones are bounded by a cap.
func (w *batchTx) intern(ctx context.Context, table names.Table, of capOf, wanted []string) (map[string]int64, error) {
	return w.s.names.Intern(ctx, w.tx, names.Wanted{Table: table, Project: w.Project.ID, Names: wanted,
		Now: db.Micros(w.now), Found: &w.found, Room: func(want int) (int, error) {
			w.newRelease = w.newRelease || table == names.Releases
			return w.caps.room(ctx, of, want)
		}})
}

// perProcess are resource attributes that differ from process to process or
// from person to person: they stand in the body alone.
var perProcess = []string{"process.pid", "host.name", "host.id", "service.instance.id", "app.installation.id",
	"user.id", "user.email", "user.name", "enduser.id", "enduser.pseudo.id"}

func resourceText(a event.Attributes) string {
	shared := event.Attributes{}
	for k, v := range a {
		if !slices.Contains(perProcess, k) {
			shared[k] = v
		}
	}
	raw, err := json.Marshal(shared)
	if err != nil {
		return "{}" // attributes were decoded, so they encode
	}
	return string(raw)
}

func (w *batchTx) newIssue(ctx context.Context, r *row) (int64, error) {
	w.lastIssue++
	id, err := status.Create(ctx, w.tx, w.Project.ID, w.lastIssue, w.now)
	if err != nil {
		return 0, err
	}
	w.done.Issues++
	if err := issues.AddAlias(ctx, w.tx, w.Project.ID, w.Project.GroupingVersion, r.Print.Key, id); err != nil {
		return 0, err
	}
	for _, k := range []fingerprint.Key{r.Print.Key, r.Item.Print.Key} {
		if err := w.tieNew(ctx, k, id); err != nil {
			return 0, err
		}
	}
	if r.Release != "" && r.Followable() {
		if err := AskMoved(ctx, w.tx, w.Project.ID, id); err != nil {
			return 0, err
		}
	}
	text := "first seen"
	if r.Release != "" {
		text += " in " + r.Release
	}
	w.occasions = append(w.occasions, occasion{r, "new", text})
	return id, w.addHistory(ctx, id, r.When.Thrown, "first_seen", text)
}

func (w *batchTx) addHistory(ctx context.Context, id int64, at time.Time, kind issue.Kind, text string) error {
	return w.s.status.Record(ctx, w.tx, w.Project.ID, id,
		status.HistoryLine{Entry: issue.Entry{Kind: kind, Text: text}, Who: accounts.Service, At: at})
}
