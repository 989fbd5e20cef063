package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbols"
)

// maps measures the core on real source maps, beside two JavaScript libraries
// in processes of their own.
func maps(ctx context.Context, _ settings) error {
	files, err := filepath.Glob("corpus/build/maps/*.map")
	if err != nil || len(files) == 0 {
		return errors.Join(err, errors.New("there are no maps yet: make corpus"))
	}
	bin := filepath.Join(os.TempDir(), "firethorn-decode")
	if out, err := exec.CommandContext(ctx, "go", "build", "-o", bin, "./bench/decode").CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	defer os.Remove(bin)
	fmt.Printf("%-8s %7s  %-14s %9s %8s %8s %9s %8s\n", "map", "MB", "decoder", "ms", "MB/s", "ratio", "grows MB",
		"ratio")
	for _, file := range files {
		if err := decoders(ctx, bin, file); err != nil {
			return err
		}
	}
	fmt.Printf("\n%-8s %10s %10s %7s %10s %10s %10s %10s %10s\n", "map", "compile ms", "table MB", "of map",
		"scan MB/s", "cold p50", "cold p95", "read KB", "alloc KB")
	for _, file := range files {
		if err := tables(file); err != nil {
			return err
		}
	}
	return nil
}

func decoders(ctx context.Context, bin, file string) error {
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	name, mb := strings.TrimSuffix(filepath.Base(file), ".js.map"), float64(info.Size())/1e6
	type result struct{ ms, grows float64 }
	ask := func(args ...string) (float64, error) {
		out, err := exec.CommandContext(ctx, args[0], args[1:]...).Output()
		if err != nil {
			return 0, fmt.Errorf("%s: %w", strings.Join(args, " "), err)
		}
		return strconv.ParseFloat(strings.TrimSpace(string(out)), 64)
	}
	var ours result
	for _, d := range []struct {
		name    string
		command []string
	}{{"firethorn", []string{bin, file}}, {"trace-mapping",
		[]string{"node", "corpus/decode.mjs", "trace-mapping", file}}, {"source-map", []string{"node",
		"corpus/decode.mjs", "source-map", file}}} {
		var r result
		if r.ms, err = ask(append(slices.Clone(d.command), "time")...); err != nil {
			return err
		}
		if r.grows, err = ask(append(slices.Clone(d.command), "memory")...); err != nil {
			return err
		}
		if d.name == "firethorn" {
			ours = r
		}
		fmt.Printf("%-8s %7.1f  %-14s %9.1f %8.0f %8.1f %9.1f %8.1f\n", name, mb, d.name, r.ms, mb*1000/r.ms,
			r.ms/ours.ms, r.grows/1e6, r.grows/ours.grows)
	}
	return nil
}

// reads counts the bytes that are read of a file.
type reads struct {
	file *os.File
	n    int
}

func (r *reads) ReadAt(p []byte, off int64) (int, error) {
	r.n += len(p)
	return r.file.ReadAt(p, off)
}

// tables measures the compiled form of one map: made, and read cold, a
// thousand frames at random places, each from an open that knows nothing.
func tables(file string) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	code, err := os.ReadFile(strings.TrimSuffix(file, ".map"))
	if err != nil {
		return err
	}
	from := time.Now()
	scope.Scan(code)
	scan := float64(len(code)) / 1e6 / time.Since(from).Seconds()
	from = time.Now()
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return err
	}
	table, _, err := symbols.Compile(m, code)
	if err != nil {
		return err
	}
	compile := time.Since(from)
	path := filepath.Join(os.TempDir(), "firethorn-table")
	if err := os.WriteFile(path, table, 0o600); err != nil {
		return err
	}
	defer os.Remove(path)
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	var places []sourcemap.Pos
	for s := range m.Positions.All() {
		places = append(places, s.Gen)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	var took []time.Duration
	var before, after runtime.MemStats
	read := 0
	runtime.ReadMemStats(&before)
	for range 1000 {
		r := &reads{file: f}
		from := time.Now()
		if err := frame(r, int64(len(table)), places[rng.IntN(len(places))]); err != nil {
			return err
		}
		took = append(took, time.Since(from))
		read += r.n
	}
	runtime.ReadMemStats(&after)
	slices.Sort(took)
	fmt.Printf("%-8s %10.0f %10.2f %6.0f%% %10.0f %10v %10v %10d %10d\n",
		strings.TrimSuffix(filepath.Base(file), ".js.map"), float64(compile.Microseconds())/1000,
		float64(len(table))/1e6, 100*float64(len(table))/float64(len(raw)), scan, took[500].Round(time.Microsecond),
		took[950].Round(time.Microsecond), read/1000/1000, (after.TotalAlloc-before.TotalAlloc)/1000/1000)
	return hot(table, places)
}

// frame looks one frame up: place, function and 15 lines of source.
func frame(r interface {
	ReadAt([]byte, int64) (int, error)
}, size int64, at sourcemap.Pos) error {
	f, err := symbols.Open(r, size, 0)
	if err != nil {
		return err
	}
	return look(f, at)
}

func look(f *symbols.File, at sourcemap.Pos) error {
	o, ok, err := f.Find(at)
	if err != nil || !ok {
		return err
	}
	if _, _, err := f.Function(at, o); err != nil {
		return err
	}
	_, err = f.SourceLines(o.Index, int(o.Pos.Line)-7, int(o.Pos.Line)+7, 400)
	return err
}

// hot measures look-ups whose blocks are at hand: of a place alone, and of a
// whole frame.
func hot(table []byte, places []sourcemap.Pos) error {
	f, err := symbols.Open(bytes.NewReader(table), int64(len(table)), 64<<20)
	if err != nil {
		return err
	}
	rng := rand.New(rand.NewPCG(1, 2))
	some := make([]sourcemap.Pos, 500)
	for i := range some {
		some[i] = places[rng.IntN(len(places))]
	}
	each := func(do func(at sourcemap.Pos) error) (time.Duration, error) {
		const rounds = 200
		var from time.Time
		for i := range rounds + 1 {
			if i == 1 { // the first fills what is kept
				from = time.Now()
			}
			for _, at := range some {
				if err := do(at); err != nil {
					return 0, err
				}
			}
		}
		return time.Since(from) / rounds / time.Duration(len(some)), nil
	}
	place, err := each(func(at sourcemap.Pos) error { _, _, err := f.Find(at); return err })
	if err != nil {
		return err
	}
	whole, err := each(func(at sourcemap.Pos) error { return look(f, at) })
	if err != nil {
		return err
	}
	fmt.Printf("         hot: a place %v, a frame with its function and 15 lines %v\n", place, whole)
	return nil
}
