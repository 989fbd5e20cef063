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
	"sync/atomic"
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
		if err := s.cli(ctx, &p, "symbols", "push", "--project", "quayside", "--release", release, "--served-at",
			"https://quayside.example/b", dir); err != nil {
			return err
		}
		took := time.Since(began)
		for s.count("SELECT COUNT(*) FROM symbol_unit WHERE state='waiting'") > 0 {
			time.Sleep(50 * time.Millisecond)
		}
		fmt.Printf("%-34s %5d contents, %7.1f MB sent in %6s; all compiled after %6s; rows: %d contents, %d parts, %d units, %d pages, %d files\n", what, p.Sent, float64(p.SentBytes)/1e6, took.Round(10*time.Millisecond), time.Since(began).Round(100*time.Millisecond),
			s.count("SELECT COUNT(*) FROM symbol_content"), s.count("SELECT COUNT(*) FROM symbol_part"),
			s.count("SELECT COUNT(*) FROM symbol_unit"), s.count("SELECT COUNT(*) FROM symbol_page"),
			s.count("SELECT COUNT(*) FROM symbol_file"))
		return nil
	}
	code, mp, err := bundle(0)
	if err != nil {
		return err
	}
	fmt.Printf("a build of %d files, %.1f kB and a map of %.1f kB each\n", buildFiles, float64(len(code))/1e3,
		float64(len(mp))/1e3)
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
	raw, _ := json.Marshal(map[string]any{"version": 3, "sources": sources, "sourcesContent": contents,
		"names": []string{}, "mappings": mappings.String()}) // of plain values
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
	if _, err := store.Symbols.AddSymbolFiles(ctx, project.ID, "large",
		[]symbolstore.PushedFile{{Address: "https://quayside.example/large.js", Bundle: hashes[0],
			Map: hashes[1]}}); err != nil {
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
		took[n/2].Round(10*time.Microsecond), took[n*95/100].Round(10*time.Microsecond), float64(c.bytes.Load())/n/1000,
		float64(c.reads.Load())/n, float64(after.TotalAlloc-before.TotalAlloc)/n/1000)
	return nil
}

func one(event string) *pipeline.Batch {
	return &pipeline.Batch{Received: time.Now(), IDs: []uuid.UUID{uuid.New()},
		Events: []json.RawMessage{json.RawMessage(event)}}
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
		if _, err := store.Symbols.AddSymbolFiles(ctx, project.ID, fmt.Sprint("r", i),
			[]symbolstore.PushedFile{{Address: "https://quayside.example/assets/index.js", Bundle: hashes[0],
				Map: hashes[1]}}); err != nil {
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
