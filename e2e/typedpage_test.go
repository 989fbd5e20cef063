package e2e

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// deck is an application in TypeScript and React that breaks in ten ways, each
// in a function of another kind.
var deck = map[string]string{
	"package.json":   `{"name":"deck","private":true,"type":"module"}`,
	"tsconfig.json":  `{"compilerOptions":{"target":"es2022","module":"esnext","moduleResolution":"bundler","jsx":"react-jsx","strict":true}}`,
	"vite.config.ts": "import react from '@vitejs/plugin-react'\nimport { defineConfig } from 'vite'\nexport default defineConfig({ plugins: [react()], build: { target: 'es2015', sourcemap: 'hidden' } })\n",
	"index.html":     `<!doctype html><title>Deck</title><div id="root"></div><script type="module" src="/src/main.tsx"></script>`,
	"src/tides.ts": `type Row = { day: number; height?: { metres: number } }
interface Source<T> { rows(): Promise<T[]> }

export const pick = <T extends Row, K extends keyof T = keyof T>(row: T | undefined, key: K): T[K] => { return row![key] }

export namespace Almanac {
  export function tideAt(rows: readonly Row[], day: number): number { return rows.find((r): r is Row => r.day === day)!.height!.metres }
}

export class Berth<T extends Row> {
  #rows: T[] = []
  private readonly onTurn = (day: number): number => { return this.#rows[day]!.height!.metres }
  constructor(readonly source: Source<T>) {}
  turn(day: number): number { return this.onTurn(day) }
  get depth(): number { return (this.#rows as unknown as { deep: { metres: number } }).deep.metres }
  #moor(day: number): T { const row = this.#rows[day]; if (row === undefined) throw new RangeError('no row for this day'); return row }
  moor(day: number): T { return this.#moor(day) }
  async load(): Promise<void> { await null; this.#rows = (await this.source.rows()).slice().map((row) => ({ ...row })) }
  *each(): Generator<T> { yield* this.#rows; throw new EvalError('no more rows') }
}
`,
	"src/deck.tsx": `import { useEffect, useMemo, type ReactNode } from 'react'
import { Almanac, Berth, pick } from './tides'

const none = { rows: async (): Promise<never> => { await null; throw new URIError('no source') } }
const berth = new Berth<{ day: number }>(none)

export function Button({ label, onPress }: { label: string; onPress: () => void }): ReactNode { return <button id={label} onClick={() => { onPress() }}>{label}</button> }

export function Panel(): ReactNode {
  const heights = useMemo<number[]>(() => [1, 2], [])
  useEffect(() => { const later = setTimeout(() => { throw new SyntaxError('the effect failed') }, 50); return () => clearTimeout(later) }, [])
  return <ul>{heights.map((h) => <li key={h}>{h}</li>)}</ul>
}

export function Broken({ rows }: { rows?: { name: string }[] }): ReactNode { return <b>{rows!.length}</b> }

export const ways: Record<string, () => unknown> = {
  pick: () => pick(undefined as { day: number } | undefined, 'day'),
  tideAt: () => Almanac.tideAt([], 1),
  onTurn: () => berth.turn(3),
  depth: () => berth.depth,
  moor: () => berth.moor(9),
  load: () => berth.load(),
  each: () => [...berth.each()],
}
`,
	"src/main.tsx": `import { createRoot } from 'react-dom/client'
import { start } from '@firethorn/client/browser'
import { Broken, Button, Panel, ways } from './deck'

start({ server: 'SERVER', key: 'KEY', release: 'RELEASE', hangs: false })
createRoot(document.getElementById('root')!).render(<><Panel /><Button label="press" onPress={() => { throw new AggregateError([], 'pressed') }} /></>)
const names = Object.keys(ways)
names.forEach((name, i) => setTimeout(() => { ways[name]!() }, 100 + 20 * i))
setTimeout(() => document.getElementById('press')!.click(), 400)
setTimeout(() => { const apart = document.createElement('div'); document.body.append(apart); createRoot(apart).render(<Broken />) }, 500)
setTimeout(() => { document.title = 'done' }, 1000)
`,
}

// TestPage_TypedApplicationIsReadable builds the deck for old browsers, lets it
// break in Chromium, and reads the issues: every function is called as it is in
// its source, with the bundles pushed and with the maps alone.
func TestPage_TypedApplicationIsReadable(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/dist/go")
	token, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	modules, err := filepath.Abs("../node_modules")
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"AggregateError in onPress", "EvalError in Berth.each", "RangeError in Berth.#moor", "SyntaxError in Panel › useEffect › setTimeout (callback)",
		"TypeError in Berth.get depth", "TypeError in Berth.onTurn", "TypeError in Broken", "TypeError in pick", "TypeError in tideAt", "URIError in rows",
	}
	for name, push := range map[string]string{
		"bundles":    "firethorn symbols push --project typed-bundles --release 1.0.0 --served-at '*' dist",
		"maps alone": "mkdir maps && cp dist/assets/*.map maps/ && firethorn symbols push --project typed-maps --release 1.0.0 --served-at '*/assets/' maps",
	} {
		t.Run(name, func(t *testing.T) {
			project := "typed-" + strings.Fields(name)[0]
			key := shared.project(t, project)
			dir := t.TempDir()
			application(t, dir, deck)
			edit(
				t,
				filepath.Join(dir, "src/main.tsx"),
				"server: 'SERVER', key: 'KEY', release: 'RELEASE'",
				"server: '"+shared.url+"', key: '"+key+"', release: '1.0.0'",
			)
			guideStep{
				Title: "the build",
				Run:   "ln -s " + modules + " node_modules && node node_modules/vite/bin/vite.js build && ls dist/assets/*.map && " + push,
			}.run(
				t,
				dir,
				"FIRETHORN_SERVER="+shared.url,
				"FIRETHORN_TOKEN="+strings.TrimSpace(string(token)),
			)
			site := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
			defer site.Close()
			tab := newTab(t)
			if err := chromedp.Do(tab, chromedp.Navigate(site.URL)); err != nil {
				t.Fatal(err)
			}
			eventually(t, tab, "the page broke ten times", `document.title === 'done'`)
			until(t, "ten issues", func() bool { return len(shared.issues(t, project)) >= len(want) })
			var got []string
			for _, i := range shared.issues(t, project) {
				got = append(got, i.Headline)
			}
			if slices.Sort(got); !slices.Equal(got, want) {
				t.Errorf("the issues are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
			}
		})
	}
}

// TestSymbolsCheck_WarnsOfDoubtfulSources pushes a map of which one source is
// no program, and one whose text is of another build: their names come from the
// bundle, and the check says so.
func TestSymbolsCheck_WarnsOfDoubtfulSources(t *testing.T) {
	t.Parallel()
	const project = "doubted"
	key := shared.project(t, project)
	from, dir := "../internal/core/symbols/testdata/typed/esbuild-min/main.js", t.TempDir()
	raw, err := os.ReadFile(from + ".map")
	if err != nil {
		t.Fatal(err)
	}
	var parts map[string]any
	if err := json.Unmarshal(raw, &parts); err != nil {
		t.Fatal(err)
	}
	contents := parts["sourcesContent"].([]any)
	for i, s := range parts["sources"].([]any) {
		switch {
		case strings.HasSuffix(s.(string), "classes.ts"):
			contents[i] = contents[i].(string) + "\n%%"
		case strings.HasSuffix(s.(string), "functions.ts"):
			contents[i] = "// added\n" + contents[i].(string)
		}
	}
	if raw, err = json.Marshal(parts); err != nil {
		t.Fatal(err)
	}
	code, err := os.ReadFile(from)
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string][]byte{"main.js": code, "main.js.map": raw} {
		if err := os.WriteFile(filepath.Join(dir, name), text, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	shared.run(t, 0, "symbols", "push", "-p", project, "--release", "1.0.0", "--served-at", "https://q.example/", dir)
	shared.post(t, key, `{"events":[{"resource":{"service.version":"1.0.0"},"exceptions":[{"type":"TypeError","message":"x","frames":[{"function":"e","file":"https://q.example/main.js","line":1,"column":1151}]}]}]}`)
	shared.settle(t)
	out, _ := shared.run(t, 0, "symbols", "check", "-p", project, "--release", "1.0.0")
	saysAll(t, out, "readable", "of 2 sources function names come from the generated file, not from their own text",
		"pier/classes.ts: it cannot be read from line", "pier/functions.ts: from line 1 on its text is not what the map was made from")
}
