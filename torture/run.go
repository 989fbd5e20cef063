package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"firethorn/internal/contract"
	"firethorn/internal/localdb"
)

// Options of a run.
type Options struct {
	Program string // the service
	Kills   int
	Days    int  // that the clock goes on in all
	Freeze  bool // nothing is killed: one process is frozen, and who has its shards is watched
	Senders int
	Seed    int64
	Out     io.Writer // progress
}

// Report says what was done and what came of it.
type Report struct {
	Seed                          int64
	Kills                         map[string]int
	Acknowledged, Repeats         int
	Rejected, Unanswered          int64
	Merges, Undos, Decisions      int64
	Regroupings, TakenBack        int64
	Days                          float64 // that the clock went on
	Processed, Failed, Unexpected int
	Dropped                       int // of the processed ones, with their partition
	Took                          time.Duration
	Missing, Doubled, Difference  []string
	Alerts                        map[string]int // deliveries by state, and what else came of them
}

// happened is how often something happened.
func (r Report) happened() (n int) {
	for _, k := range r.Kills {
		n += k
	}
	return n
}

func (r Report) String() string {
	var b strings.Builder
	fmt.Fprintf(&b, "seed %d, %s: %v; the clock went on by %.1f days, events were kept for %d\n", r.Seed, r.Took.Round(time.Second), r.Kills, r.Days, keepDays)
	fmt.Fprintf(&b, "%d events acknowledged, %d sent again on purpose, %d requests refused, %d without an answer; %d merges, %d undos, %d decisions, %d regroupings, %d undone\n", r.Acknowledged, r.Repeats, r.Rejected, r.Unanswered, r.Merges, r.Undos, r.Decisions, r.Regroupings, r.TakenBack)
	fmt.Fprintf(&b, "%d of them processed once, %d failed, %d missing, %d processed more than once; %d processed without an answer; %d expired and dropped; recount: %d differences\n", r.Processed, r.Failed, len(r.Missing), len(r.Doubled), r.Unexpected, r.Dropped, len(r.Difference))
	fmt.Fprintf(&b, "messages of alerts: %v\n", r.Alerts)
	return b.String()
}

// keepDays is the class of retention of the projects: the shortest.
const keepDays = 7

// stage is everything that runs.
type stage struct {
	opt      Options
	db       *localdb.Server
	services []*service
	sender   *sender
	receiver *receiver    // of webhooks
	offset   atomic.Int64 // of all clocks, in nanoseconds
	report   Report
}

func (s *stage) now() time.Time { return time.Now().Add(time.Duration(s.offset.Load())) }

// projects are what the senders report to.
var projects = []string{"quayside", "gangway", "bosun"}

// Run does it all; the error says what must not be.
func Run(ctx context.Context, opt Options) (Report, error) {
	began := time.Now()
	dir, err := os.MkdirTemp("", "firethorn-torture")
	if err != nil {
		return Report{}, err
	}
	defer os.RemoveAll(dir)
	program, err := filepath.Abs(opt.Program)
	if err != nil {
		return Report{}, err
	}
	opt.Program = program
	s := &stage{opt: opt, report: Report{Seed: opt.Seed, Kills: map[string]int{}, Alerts: map[string]int{}}}
	fmt.Fprintf(opt.Out, "seed %d\n", opt.Seed)
	if s.db, err = localdb.Start(ctx,
		localdb.Options{AllRights: true, Tied: true, Dir: filepath.Join(dir, "database"), BufferPool: "256M",
			LogSize: "64M"}); err != nil {
		return s.report, err
	}
	watch, unwatch := context.WithCancel(ctx)
	var side sync.WaitGroup
	side.Go(func() { s.db.Watch(watch) })
	defer func() {
		unwatch()
		side.Wait()
		_ = s.db.Stop(context.WithoutCancel(ctx))
	}()
	for i := range 3 {
		v, err := newService(s, filepath.Join(dir, fmt.Sprint("service", i)))
		if err != nil {
			return s.report, err
		}
		defer v.stop()
		s.services = append(s.services, v)
		if err := v.waitReady(ctx, time.Minute); err != nil { // the second finds the schema made
			return s.report, err
		}
	}
	if s.sender, err = newSender(ctx, s); err != nil {
		return s.report, err
	}
	hooks, hang := context.WithCancel(ctx)
	defer hang()
	if s.receiver, err = newReceiver(hooks, uint64(opt.Seed)); err != nil {
		return s.report, err
	}
	if err = s.connect(ctx); err != nil {
		return s.report, err
	}
	if opt.Freeze {
		err = s.freezeOne(ctx)
	} else {
		s.load(ctx)
	}
	if err != nil {
		return s.report, err
	}
	fmt.Fprintln(opt.Out, "waiting until everything is processed")
	if err := s.settle(ctx); err != nil {
		s.logs()
		return s.report, err
	}
	if err = s.judge(ctx); err != nil {
		s.logs()
	}
	s.report.Took = time.Since(began)
	s.report.Days = time.Duration(s.offset.Load()).Hours() / 24
	return s.report, err
}

// load sends, merges, undoes and kills until enough was killed.
func (s *stage) load(ctx context.Context) {
	ctx, enough := context.WithCancel(ctx)
	var g sync.WaitGroup
	for i := range s.opt.Senders {
		rnd := rand.New(rand.NewPCG(uint64(s.opt.Seed), uint64(i)))
		g.Go(func() { s.sender.run(ctx, rnd) })
	}
	g.Go(func() { s.meddle(ctx, rand.New(rand.NewPCG(uint64(s.opt.Seed), 1000))) })
	s.kill(ctx, rand.New(rand.NewPCG(uint64(s.opt.Seed), 2000)))
	enough()
	g.Wait()
}

// What may happen, and how often.
const (
	killService  = "service killed"
	killDatabase = "database killed"
	loseNetwork  = "network silent"
	freeze       = "service frozen"
)

var happens = []string{killService, killService, killService, killDatabase, loseNetwork, freeze}

// lossTime is how long a network is silent or a process frozen: others take its
// shards over meanwhile, and its transactions are ended by the server.
const lossTime = 10 * time.Second

// A clock stands still until its process is started again, so the clocks of processes come
// apart. Partitions go two days after their day, and a service whose clock is off by hours
// files nothing: clocks that are days apart would only show what cannot happen.
const (
	step  = 5 * time.Hour // that the clock goes on at once, at most
	apart = 40 * time.Hour
)

// kill lets something happen to one of the processes at a time; the clock goes on
// by hours with it, so that repeats come after midnight and days late.
func (s *stage) kill(ctx context.Context, rnd *rand.Rand) {
	perKill := min(step, time.Duration(s.opt.Days)*24*time.Hour/time.Duration(s.opt.Kills))
	for n := range s.opt.Kills {
		time.Sleep(time.Duration(100+rnd.IntN(900)) * time.Millisecond)
		s.offset.Add(int64(perKill))
		what, v := happens[rnd.IntN(len(happens))], s.services[rnd.IntN(len(s.services))]
		oldest := slices.MaxFunc(s.services, func(a, b *service) int { return cmp.Compare(a.kept, b.kept) })
		if time.Duration(oldest.kept+len(s.services))*perKill > apart {
			what, v = killService, oldest
		}
		for _, x := range s.services {
			x.kept++
		}
		s.report.Kills[what]++
		switch what {
		case killService:
			v.kill()
			v.kept = 0
		case killDatabase:
			_ = syscall.Kill(s.db.PID(), syscall.SIGKILL) // it may be starting just now
			time.Sleep(time.Duration(rnd.IntN(400)) * time.Millisecond)
		case loseNetwork:
			v.network.silence()
			time.Sleep(lossTime)
			v.network.speak(rnd.IntN(2) == 0)
		case freeze:
			v.signal(syscall.SIGSTOP)
			time.Sleep(lossTime)
			v.signal(syscall.SIGCONT)
		}
		if n%10 == 9 {
			fmt.Fprintf(s.opt.Out, "%d of %d, %d events acknowledged\n", n+1, s.opt.Kills, s.sender.count())
		}
		for _, v := range s.services { // what is down comes back before the next one goes
			if err := v.waitReady(ctx, time.Minute); err != nil {
				fmt.Fprintln(s.opt.Out, err)
			}
		}
	}
}

// ways are rules files that group in different ways: by an attribute of the
// event, by its environment, several types together, and not at all.
var ways = []string{
	`grouping: [{name: users, when: 'exception.type == "Fault1" || exception.type == "Fault2"', extend: '${attr("user.id") < "p-2" ? "early" : "late"}'}]`,
	`grouping: [{name: environments, when: 'true', extend: '${environment}'}]`,
	`grouping: [{name: some are one, when: 'exception.type.matches("[0-3]$")', replace: some}]`,
	``,
}

// meddle merges issues and undoes merges, changes the rules, regroups and takes
// that back, at random.
func (s *stage) meddle(ctx context.Context, rnd *rand.Rand) {
	for ctx.Err() == nil {
		time.Sleep(time.Duration(20+rnd.IntN(200)) * time.Millisecond)
		v := s.services[rnd.IntN(len(s.services))]
		project := projects[rnd.IntN(len(projects))]
		a, b := 1+rnd.IntN(kinds), 1+rnd.IntN(kinds)
		if rnd.IntN(6) == 0 {
			s.regroup(ctx, v, project, rnd)
			continue
		}
		if rnd.IntN(3) == 0 {
			s.decide(ctx, v, project, a, rnd)
			continue
		}
		if rnd.IntN(3) == 0 {
			if v.post(ctx, fmt.Sprintf("/api/issues/%s/%d/merge", project, a), fmt.Sprintf(`{"into":%d}`, b)) == nil {
				s.report.Merges++
			}
		} else if v.post(ctx, fmt.Sprintf("/api/issues/%s/%d/undo", project, a), `{}`) == nil {
			s.report.Undos++
		}
	}
}

// decisions are what people may do to an issue beside merging it.
var decisions = []string{
	"park", `{"park":{"events":3}}`, "park", `{"park":{"users":2,"new_environment":true}}`, "park",
	`{"park":{"next_release":true,"doubled":true}}`,
	"fix", `{"next":true}`, "fix", `{"now":true}`, "fix", `{"release":"1.0.1"}`, "count-only", `{}`, "dismiss", `{}`,
	"reopen", `{}`, "accept", `{}`,
}

// decide decides about one issue, or about all open ones, and at times
// takes the latter back.
func (s *stage) decide(ctx context.Context, v *service, project string, number int, rnd *rand.Rand) {
	n := 2 * rnd.IntN(len(decisions)/2)
	verb, body := decisions[n], decisions[n+1]
	if rnd.IntN(20) > 0 {
		if v.post(ctx, fmt.Sprintf("/api/issues/%s/%d/%s", project, number, verb), body) == nil {
			s.report.Decisions++
		}
		return
	}
	var done contract.ManyDone
	base := "/api/projects/" + project + "/issues/"
	if v.call(ctx, "POST", base+"act", actBody(verb, body), &done) == nil {
		s.report.Decisions += int64(len(done.Done))
	}
	if done.Bulk != 0 && rnd.IntN(2) == 0 {
		_ = v.post(ctx, base+"undo", fmt.Sprintf(`{"bulk":%d}`, done.Bulk)) // it may be killed meanwhile
	}
}

// actBody is a decision about one issue as one about many.
func actBody(verb, body string) string {
	if body == "{}" {
		return fmt.Sprintf(`{"verb":%q}`, verb)
	}
	return fmt.Sprintf(`{"verb":%q,%s`, verb, body[1:])
}

// regroup changes a project's rules and regroups by them, or takes that back.
func (s *stage) regroup(ctx context.Context, v *service, project string, rnd *rand.Rand) {
	base := "/api/projects/" + project
	if rnd.IntN(3) == 0 {
		if v.post(ctx, base+"/regroupings/undo", `{}`) == nil {
			s.report.TakenBack++
		}
		return
	}
	text := ways[rnd.IntN(len(ways))] + alertRules
	if v.call(ctx, "PUT", base+"/rules", fmt.Sprintf(`{"text":%q}`, text), nil) == nil &&
		v.post(ctx, base+"/regroupings/begin", `{}`) == nil {
		s.report.Regroupings++
	}
}

// settle waits until nothing waits, no regrouping is under way and no move is followed.
func (s *stage) settle(ctx context.Context) error {
	for until := time.Now().Add(3 * time.Minute); ; time.Sleep(200 * time.Millisecond) {
		st, err := s.services[0].status(ctx)
		if err == nil && st.Waiting == 0 && st.Recounting == 0 { // regroupings are among them
			return nil
		}
		if time.Now().After(until) {
			return fmt.Errorf("it does not settle: %+v, %w", st, errors.Join(err, errors.New("3 minutes have passed")))
		}
	}
}

// loggedLines is how much of each log is shown after a run that failed.
const loggedLines = 30

// logs shows the end of what the services wrote, before it goes with the rest.
func (s *stage) logs() {
	for _, v := range s.services {
		raw, err := os.ReadFile(v.dir + ".log")
		if err != nil {
			continue
		}
		lines := strings.Split(strings.TrimSpace(string(raw)), "\n")
		fmt.Fprintf(s.opt.Out, "%s:\n%s\n", v.address, strings.Join(lines[max(0, len(lines)-loggedLines):], "\n"))
	}
}
