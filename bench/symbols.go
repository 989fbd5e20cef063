package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/symbolstore"
)

// inService measures symbols in the service: pushed, looked up, and come late.
func inService(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	for _, part := range []func(context.Context) error{s.pushes, s.coldFrame, s.readable, s.comeLate} {
		if err := part(ctx); err != nil {
			return err
		}
	}
	return nil
}

// bundle is a real bundle of the demo and its map, made another one by a number
// at their ends.
func bundle(n int) (code, mp []byte, err error) {
	code, err = os.ReadFile("internal/core/symbolicate/testdata/quayside.js")
	if err != nil {
		return nil, nil, err
	}
	if mp, err = os.ReadFile("internal/core/symbolicate/testdata/quayside.js.map"); err != nil {
		return nil, nil, err
	}
	id := uuid.NewSHA1(uuid.Nil, fmt.Append(nil, n)).String()
	const was = "0688740b-563a-4148-a857-6a126cda4df3"
	return bytes.ReplaceAll(code, []byte(was), []byte(id)), bytes.ReplaceAll(mp, []byte(was), []byte(id)), nil
}

func writeBundle(dir, name string, n int) error {
	code, mp, err := bundle(n)
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, name), code, 0o644); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, name+".map"), mp, 0o644)
}

const buildFiles = 3000

// pushes pushes a build of 3,000 maps, the same again, and the next build, of
// which 40 have changed.
func (s *scene) pushes(ctx context.Context) error {
	dir := filepath.Join(s.dir, "build")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for i := range buildFiles {
		if err := writeBundle(dir, fmt.Sprintf("chunk-%04d.js", i), i); err != nil {
			return err
		}
	}
	push := func(what, release string) error {
		var p struct {
			Sent      int
			SentBytes int64 `json:"sent_bytes"`
			Waiting   int
		}
		began := time.Now()
		if err := s.cli(ctx, &p, "symbols", "push", "--project", "quayside", "--release", release, "--served-at", "https://quayside.example/b", dir); err != nil {
			return err
		}
		took := time.Since(began)
		for s.count("SELECT COUNT(*) FROM symbol_unit WHERE state='waiting'") > 0 {
			time.Sleep(50 * time.Millisecond)
		}
		fmt.Printf("%-34s %5d contents, %7.1f MB sent in %6s; all compiled after %6s; rows: %d contents, %d parts, %d units, %d pages, %d files\n", what, p.Sent, float64(p.SentBytes)/1e6, took.Round(10*time.Millisecond), time.Since(began).Round(100*time.Millisecond),
			s.count("SELECT COUNT(*) FROM symbol_content"), s.count("SELECT COUNT(*) FROM symbol_part"), s.count("SELECT COUNT(*) FROM symbol_unit"), s.count("SELECT COUNT(*) FROM symbol_page"), s.count("SELECT COUNT(*) FROM symbol_file"))
		return nil
	}
	code, mp, err := bundle(0)
	if err != nil {
		return err
	}
	fmt.Printf("a build of %d files, %.1f kB and a map of %.1f kB each\n", buildFiles, float64(len(code))/1e3, float64(len(mp))/1e3)
	if err := push("the first time", "5.0.0"); err != nil {
		return err
	}
	if err := push("the same again", "5.0.0"); err != nil {
		return err
	}
	for i := range 40 {
		if err := writeBundle(dir, fmt.Sprintf("chunk-%04d.js", i*70), 100_000+i); err != nil {
			return err
		}
	}
	return push("the next release, 40 changed", "5.0.1")
}

// counting counts what is read of the database.
type counting struct {
	*symbolstore.Store
	bytes, reads atomic.Int64
}

func (c *counting) SymbolPages(ctx context.Context, unit int64, from, to int) ([][]byte, error) {
	pages, err := c.Store.SymbolPages(ctx, unit, from, to)
	for _, p := range pages {
		c.bytes.Add(int64(len(p)))
	}
	c.reads.Add(1)
	return pages, err
}

// largeMap is a map of 20 MB: as many functions, each with its source.
func largeMap() (code, mp []byte) {
	var c, mappings strings.Builder
	var sources, contents []string
	rng := rand.New(rand.NewPCG(7, 7)) // as alike as written texts are, not more
	words := strings.Fields("pier tide berth gate crew sound ferry deck rope mast lock fare seat quay buoy hull stern draught")
	for i := range 400 {
		var text strings.Builder
		for j := range 240 {
			fmt.Fprintf(&c, "function f%x(a,b){return a.draught+b[%d]}\n", i*240+j, j)
			pick := func() string { return words[rng.IntN(len(words))] }
			fmt.Fprintf(&text, "/** The %s of the %s at the %s, %d above what the chart of %s calls low. */\nexport function %s%d(%s: Pier, day: number[]): number {\n\treturn %s.draught * %d + day[%d]\n}\n", pick(), pick(), pick(), rng.IntN(9999), pick(), pick(), i*240+j, pick(), pick(), rng.IntN(1e6), j)
			switch {
			case i == 0 && j == 0:
				mappings.WriteString("AACgB,kBACC;")
			case j == 0:
				mappings.WriteString("AC77BD,kBACC;") // up from the last line to the second
			default:
				mappings.WriteString("AAGD,kBACC;")
			}
		}
		sources = append(sources, fmt.Sprintf("src/piers/%d.ts", i))
		contents = append(contents, text.String())
	}
	raw, _ := json.Marshal(map[string]any{"version": 3, "sources": sources, "sourcesContent": contents, "names": []string{}, "mappings": mappings.String()}) // of plain values
	return []byte(c.String()), raw
}

func (s *scene) store(ctx context.Context) (*records.Records, pipeline.Project, error) {
	store, err := records.Open(ctx, records.Options{DSN: s.dsn})
	if err != nil {
		return nil, pipeline.Project{}, err
	}
	p, err := store.Projects.Project(ctx, "quayside")
	if err != nil {
		store.Close()
		return nil, pipeline.Project{}, err
	}
	return store, p.Project, nil
}

// coldFrame looks frames of a map of 20 MB up, each by a process that knows nothing.
func (s *scene) coldFrame(ctx context.Context) error {
	store, project, err := s.store(ctx)
	if err != nil {
		return err
	}
	defer store.Close()
	code, mp := largeMap()
	hashes, err := store.Symbols.PutSymbols(ctx, project.ID, [][]byte{code, mp})
	if err != nil {
		return err
	}
	if _, err := store.Symbols.AddSymbolFiles(ctx, project.ID, "large", []symbolstore.PushedFile{{Address: "https://quayside.example/large.js", Bundle: hashes[0], Map: hashes[1]}}); err != nil {
		return err
	}
	began := time.Now()
	for s.count("SELECT COUNT(*) FROM symbol_unit WHERE state='waiting'") > 0 {
		time.Sleep(20 * time.Millisecond)
	}
	fmt.Printf("\na map of %.1f MB, compiled to %.1f MB in the background within %s\n", float64(len(mp))/1e6, float64(s.count("SELECT MAX(bytes) FROM symbol_unit"))/1e6, time.Since(began).Round(100*time.Millisecond))
	var took []time.Duration
	c := &counting{Store: store.Symbols}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	const n = 300
	for i := range n {
		units := pipeline.NewUnits(c, 64<<20)
		b := one(fmt.Sprintf(`{"exceptions":[{"type":"E","frames":[{"function":"x","file":"https://quayside.example/large.js","line":%d,"column":30}]}],"resource":{"service.version":"large"}}`, 1+i*263%80000))
		began := time.Now()
		it, err := pipeline.Process(ctx, project, b, 0, units)
		if err != nil {
			return err
		}
		took = append(took, time.Since(began))
		if f := it.Frames[0][0]; !strings.HasPrefix(f.File, "src/piers/") {
			return fmt.Errorf("the frame is %+v", f)
		}
	}
	runtime.ReadMemStats(&after)
	slices.Sort(took)
	fmt.Printf("a cold frame: %v in the middle, %v at 95 of 100; %.0f kB in %.1f reads of the database, %.0f kB of memory (once through the garbage collector)\n",
		took[n/2].Round(10*time.Microsecond), took[n*95/100].Round(10*time.Microsecond), float64(c.bytes.Load())/n/1000, float64(c.reads.Load())/n, float64(after.TotalAlloc-before.TotalAlloc)/n/1000)
	return nil
}

func one(event string) *pipeline.Batch {
	return &pipeline.Batch{Received: time.Now(), IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{json.RawMessage(event)}}
}

// readable makes events of 30 frames readable on one core: of one release, and
// of 2,000 in turn, in memory for a tenth of them.
func (s *scene) readable(ctx context.Context) error {
	store, project, err := s.store(ctx)
	if err != nil {
		return err
	}
	defer store.Close()
	const releases = 2000
	for i := range releases {
		code, mp, err := bundle(i) // the contents are there since the push
		if err != nil {
			return err
		}
		hashes, err := store.Symbols.PutSymbols(ctx, project.ID, [][]byte{code, mp})
		if err != nil {
			return err
		}
		if _, err := store.Symbols.AddSymbolFiles(ctx, project.ID, fmt.Sprint("r", i), []symbolstore.PushedFile{{Address: "https://quayside.example/assets/index.js", Bundle: hashes[0], Map: hashes[1]}}); err != nil {
			return err
		}
	}
	event := func(release int) *pipeline.Batch {
		var frames strings.Builder
		for i := range 30 {
			fmt.Fprintf(&frames, `%s{"function":"H","file":"https://quayside.example/assets/index.js","line":2,"column":%d}`, strings.Repeat(",", min(i, 1)), 8000+i*37)
		}
		return one(fmt.Sprintf(`{"exceptions":[{"type":"TypeError","message":"x","frames":[%s]}],"resource":{"service.version":"r%d"}}`, frames.String(), release))
	}
	runtime.GOMAXPROCS(1)
	defer runtime.GOMAXPROCS(runtime.NumCPU())
	rate := func(units *pipeline.Units, release func(i int) int, span time.Duration) (float64, error) {
		n := 0
		began := time.Now()
		for ; time.Since(began) < span; n++ {
			it, err := pipeline.Process(ctx, project, event(release(n)), 0, units)
			if err != nil {
				return 0, err
			}
			if it.Print.Provisional {
				return 0, fmt.Errorf("release %d: %s", release(n), it.Frames[0][0].WhyRaw)
			}
		}
		return float64(n) / time.Since(began).Seconds(), nil
	}
	units := pipeline.NewUnits(store.Symbols, 256<<20)
	if _, err := rate(units, func(int) int { return 0 }, 200*time.Millisecond); err != nil {
		return err
	}
	hot, err := rate(units, func(int) int { return 0 }, 3*time.Second)
	if err != nil {
		return err
	}
	fmt.Printf("\nevents of 30 frames a second on one core, decoded, symbolicated and fingerprinted:\n  one hot release                                    %6.0f\n", hot)
	for _, memory := range []int{256 << 20, 16 << 20} {
		units := pipeline.NewUnits(store.Symbols, memory)
		// One turn fills what fits.
		for i := range releases {
			if _, err := pipeline.Process(ctx, project, event(i), 0, units); err != nil {
				return err
			}
		}
		r, err := rate(units, func(i int) int { return i % releases }, 5*time.Second)
		if err != nil {
			return err
		}
		fmt.Printf("  2,000 releases in rotation, %3d MB for symbols     %6.0f (%.2f)\n", memory>>20, r, r/hot)
		mixed, err := rate(units, func(i int) int {
			if i%10 == 0 {
				return i / 10 % releases
			}
			return i % 10
		}, 5*time.Second)
		if err != nil {
			return err
		}
		fmt.Printf("    nine hot ones, each tenth event an odd one       %6.0f (%.2f)\n", mixed, mixed/hot)
	}
	return nil
}

// comeLate pushes maps after 50,000 events in 40 raw issues, while events go on
// and the list is read; then again, with the service killed twice on the way.
func (s *scene) comeLate(ctx context.Context) error {
	for _, kills := range []int{0, 2} {
		if err := s.late(ctx, fmt.Sprintf("late-%d", kills), kills); err != nil {
			return err
		}
	}
	return nil
}

func (s *scene) late(ctx context.Context, name string, kills int) error {
	var p struct {
		IngestKey string `json:"ingest_key"`
	}
	if err := s.cli(ctx, &p, "project", "create", name); err != nil {
		return err
	}
	if err := s.cli(ctx, &p, "project", "change", name, "--allowance-minute", "0", "--allowance-day", "0"); err != nil {
		return err
	}
	keep := s.key
	s.key = p.IngestKey
	defer func() { s.key = keep }()
	// 40 raw issues: as many messages, each at some of five places in three releases.
	event := func() []byte {
		n := s.n.Add(1)
		column := []int{8671, 8000, 9500, 9800, 11000}[n%5]
		return fmt.Appendf(nil, `{"id":%q,"time":%q,"exceptions":[{"type":"TypeError","message":"%s","frames":[{"function":"a","file":"https://quayside.example/assets/index.js","line":2,"column":%d}]}],"resource":{"service.version":"1.%d"},"attributes":{"user.id":"p-%d"}}`,
			uuid.Must(uuid.NewV7()), time.Now().UTC().Format(time.RFC3339Nano), strings.Repeat("shut ", int(n/5%40)+1), column, n%3, n%5000)
	}
	for range 500 {
		if err := s.post(100, event); err != nil {
			return err
		}
	}
	if err := s.drained(); err != nil {
		return err
	}
	project := s.count("SELECT id FROM project WHERE name='" + name + "'")
	issues := func() int64 {
		return s.count(fmt.Sprintf("SELECT COUNT(*) FROM issue_list WHERE project=%d", project))
	}
	fmt.Printf("\n%d events in %d raw issues, %d variants; %d kills\n", s.count(fmt.Sprintf("SELECT COUNT(*) FROM event WHERE project=%d", project)), issues(), s.count(fmt.Sprintf("SELECT COUNT(*) FROM variant WHERE project=%d", project)), kills)
	dir := filepath.Join(s.dir, name)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	if err := writeBundle(dir, "index.js", 7); err != nil {
		return err
	}
	flow, enough := context.WithCancel(ctx)
	defer enough()
	var wg sync.WaitGroup
	var sent, lists, slowest atomic.Int64
	if kills == 0 {
		wg.Go(func() {
			for flow.Err() == nil {
				if s.post(10, event) == nil {
					sent.Add(10)
				}
				time.Sleep(20 * time.Millisecond)
			}
		})
		wg.Go(func() {
			for flow.Err() == nil {
				began := time.Now()
				var list any
				if s.cli(ctx, &list, "issue", "list", "--project", name) == nil {
					lists.Add(1)
					slowest.Store(max(slowest.Load(), int64(time.Since(began))))
				}
				time.Sleep(20 * time.Millisecond)
			}
		})
	}
	began := time.Now()
	for i := range 3 {
		var pushed any
		if err := s.cli(ctx, &pushed, "symbols", "push", "--project", name, "--release", fmt.Sprint("1.", i), "--served-at", "https://quayside.example/assets", dir); err != nil {
			return err
		}
	}
	fmt.Printf("  pushed for three releases after %s\n", time.Since(began).Round(10*time.Millisecond))
	unread := func() int64 { return s.count("SELECT COUNT(*) FROM variant WHERE again=1") }
	all := unread()
	for i := range kills {
		for unread() > all*int64(kills-i)/int64(kills+1) {
			time.Sleep(time.Millisecond)
		}
		if err := s.service.Process.Signal(syscall.SIGKILL); err != nil {
			return err
		}
		_ = s.service.Wait()
		s.service = nil
		fmt.Printf("  killed: %d variants are still to be read again, %d moves on their way\n", unread(), s.count("SELECT COUNT(*) FROM move WHERE following=1"))
		if err := s.start(); err != nil {
			return err
		}
	}
	for s.count("SELECT (SELECT COUNT(*) FROM variant WHERE again=1)+(SELECT COUNT(*) FROM move WHERE following=1)") > 0 {
		time.Sleep(10 * time.Millisecond)
	}
	fmt.Printf("  all has moved after %s: %d issues\n", time.Since(began).Round(10*time.Millisecond), issues())
	enough()
	wg.Wait()
	if err := s.drained(); err != nil {
		return err
	}
	if kills == 0 {
		fmt.Printf("  meanwhile %d events came in and the list was read %d times, %s at most\n", sent.Load(), lists.Load(), time.Duration(slowest.Load()).Round(time.Millisecond))
	}
	return s.recounted(ctx)
}
