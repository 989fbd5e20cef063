package e2e

import (
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// TestGuide_ReactAndTypeScriptTemplate creates Vite's own template, follows the
// guide to the letter, and builds with the template's own command, which checks
// types first. Then the page breaks, and the issue is readable.
func TestGuide_ReactAndTypeScriptTemplate(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/dist/go")
	project := "guide-template"
	shared.project(t, project)
	var token struct{ Token string }
	shared.json(t, &token, "token", "create", "template", "--scope", "build")
	dir := t.TempDir()
	guideStep{Title: "the template", Run: "npx --yes create-vite@9.3.0 app --template react-ts --no-interactive </dev/null && cd app && npm install"}.run(t, dir)
	dir = filepath.Join(dir, "app")
	steps := guideOf(t, project, "vite")
	steps[0].run(t, dir)
	edit(t, filepath.Join(dir, "src/main.tsx"), "import { StrictMode }", "import './report.js'\nimport { StrictMode }")
	edit(t, filepath.Join(dir, "src/App.tsx"), "function App() {", "function drawBerth(zone: string): never {\n  throw new RangeError('no berth in zone ' + zone)\n}\n\nfunction App() {\n  setTimeout(() => drawBerth('D'), 300)\n")
	build := guideStep{Title: "the template's own build", Run: "npm run build"}
	steps[1].write(t, dir)
	t.Run("the plugin in the template's own file", func(t *testing.T) {
		plugin := steps[2].Text[strings.Index(steps[2].Text, "    symbols({"):strings.Index(steps[2].Text, "  ],")]
		config := filepath.Join(dir, "vite.config.ts")
		before, err := os.ReadFile(config)
		if err != nil {
			t.Fatal(err)
		}
		edit(t, config, "plugins: [react()]", "build: { sourcemap: 'hidden' },\n  plugins: [\n    react(),\n"+plugin+"  ]")
		edit(t, config, "import react", "import { symbols } from '@firethorn/client/symbols'\nimport react")
		build.run(t, dir) // without a token it warns
		if maps, err := filepath.Glob(filepath.Join(dir, "dist/assets/*.map")); err != nil || len(maps) == 0 {
			t.Errorf("the maps that could not be pushed are gone: %v", err)
		}
		if err := os.WriteFile(config, before, 0o644); err != nil {
			t.Fatal(err)
		}
	})
	t.Run("to the letter", func(t *testing.T) {
		steps[2].write(t, dir)
		build.run(t, dir, "FIRETHORN_TOKEN="+token.Token)
		if maps, err := filepath.Glob(filepath.Join(dir, "dist/assets/*.map")); err != nil || len(maps) != 0 {
			t.Errorf("maps are served: %v %v", maps, err)
		}
		site := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
		defer site.Close()
		if err := chromedp.Do(newTab(t), chromedp.Navigate(site.URL)); err != nil {
			t.Fatal(err)
		}
		if first := readable(t, project); first.Headline != "RangeError in drawBerth" || !strings.HasPrefix(first.Place, "src/App.tsx:") {
			t.Errorf("%s at %s", first.Headline, first.Place)
		}
	})
}

// edit puts a text in the place of the first of another.
func edit(t *testing.T, name, from, to string) {
	t.Helper()
	raw, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(raw), from) {
		t.Fatalf("%s holds no %q:\n%s", name, from, raw)
	}
	if err := os.WriteFile(name, []byte(strings.Replace(string(raw), from, to, 1)), 0o644); err != nil {
		t.Fatal(err)
	}
}

// typed is a program that uses every entry of the client.
var typed = map[string]string{
	"page.ts": `import { start, report, message, note, user, attributes, snapshot, drain } from '@firethorn/client/browser'
import type { Options, ReportedEvent, Details, Severity } from '@firethorn/client/browser'
import { askForFeedback, feedback } from '@firethorn/client/feedback'
const severity: Severity = 'warn'
const options: Options = { server: 'https://firethorn.example', key: 'in-key', edit: (e: ReportedEvent) => (e.severity === 'info' ? null : e), hangs: false, debug: true, hangWorker: false }
start(options)
const details: Details = { severity, attributes: { 'berth.zone': 'C' } }
const id: string | undefined = report(new Error('sunk'), details)
message('low water'); note('app', 'asked', { n: 1 }); user({ id: 'p-7' }); user(null); attributes({ a: 1 }); snapshot(() => ({ day: 1 }))
export const stored: Promise<boolean> = drain(100)
feedback({ text: 'it broke', ...(id ? { event: id } : {}) })
void askForFeedback({ labels: { title: 'Oh' } })
// @ts-expect-error: a page has no requests to wrap
import { wrap } from '@firethorn/client/browser'
export { wrap }
`,
	"server.ts": `import { createServer } from 'node:http'
import { start, wrap, report, drain } from '@firethorn/client/node'
import type { Handler, Next } from '@firethorn/client/node'
start({ server: 'https://firethorn.example', key: 'in-key', sessions: 'request', dir: false, exitWait: 500 })
const handler: Handler = wrap((_req, res, next?: Next) => { res.end('ok'); next?.() })
export const server = createServer((req, res) => void handler(req, res))
report(new Error('sunk'), { handled: true })
void drain()
// @ts-expect-error: a number is no server
start({ server: 7, key: 'in-key' })
`,
	"build.ts": `import { symbols, push } from '@firethorn/client/symbols'
import type { SymbolsOptions } from '@firethorn/client/symbols'
import { debugIds } from '@firethorn/client/debug-ids'
import { defineConfig } from 'vite'
const options: SymbolsOptions = { release: '1.0.0', token: process.env['FIRETHORN_TOKEN'], onFailure: 'fail', removeMaps: false }
export default defineConfig({ plugins: [symbols(options), debugIds()] })
export const pushed: Promise<string> = push(options, 'dist')
`,
	"main.ts": `import { start, wrap } from '@firethorn/client'
start({ server: 'https://firethorn.example', key: 'in-key' })
export const handler = wrap((_req, res) => res.end('ok'))
`,
}

// TestClients_HaveTypes compiles a strict project against the package as it is
// handed out, in every way in which TypeScript looks packages up.
func TestClients_HaveTypes(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/dist/go")
	dir := t.TempDir()
	tarball, err := filepath.Abs("../client/dist/firethorn-client-0.1.0.tgz")
	if err != nil {
		t.Fatal(err)
	}
	modules, err := filepath.Abs("../node_modules")
	if err != nil {
		t.Fatal(err)
	}
	application(t, dir, map[string]string{"package.json": `{"name":"typed","private":true,"type":"module"}`})
	guideStep{Title: "the package", Run: "npm install " + tarball + " && ln -s " + modules + "/vite node_modules/vite && ln -s " + modules + "/@types node_modules/@types"}.run(t, dir)
	application(t, dir, typed)
	for name, c := range map[string]struct {
		options string
		kind    string // of the package's files
		files   []string
	}{
		"bundler":           {`"module":"esnext","moduleResolution":"bundler"`, "module", []string{"page.ts", "server.ts", "build.ts"}},
		"bundler for Node":  {`"module":"esnext","moduleResolution":"bundler","customConditions":["node"]`, "module", []string{"main.ts"}},
		"node16":            {`"module":"node16"`, "module", []string{"page.ts", "server.ts", "build.ts", "main.ts"}},
		"nodenext":          {`"module":"nodenext"`, "module", []string{"page.ts", "server.ts", "build.ts", "main.ts"}},
		"node16, CommonJS":  {`"module":"node16"`, "commonjs", []string{"page.ts", "server.ts", "main.ts"}},
		"nodenext,CommonJS": {`"module":"nodenext"`, "commonjs", []string{"page.ts", "server.ts", "main.ts"}},
	} {
		t.Run(name, func(t *testing.T) {
			application(t, dir, map[string]string{
				"package.json": `{"name":"typed","private":true,"type":"` + c.kind + `"}`,
				"tsconfig.json": `{"compilerOptions":{` + c.options + `,"target":"es2023","lib":["ES2023","DOM"],"types":["node"],"strict":true,"noEmit":true,"noUncheckedIndexedAccess":true,"skipLibCheck":false},"files":["` +
					strings.Join(c.files, `","`) + `"]}`,
			})
			guideStep{Title: "tsc", Run: "node " + modules + "/typescript7/bin/tsc -p ."}.run(t, dir)
		})
	}
	t.Run("require", func(t *testing.T) {
		application(t, dir, map[string]string{"all.cjs": `
const { wrap } = require('@firethorn/client'); const page = require('@firethorn/client/browser')
const { symbols } = require('@firethorn/client/symbols'); const { debugIds } = require('@firethorn/client/debug-ids'); const { feedback } = require('@firethorn/client/feedback')
for (const f of [wrap, page.start, symbols, debugIds, feedback]) if (typeof f !== 'function') process.exit(1)
`})
		guideStep{Title: "require", Run: "node all.cjs"}.run(t, dir)
	})
}

// guideNodeBundledByEsbuild follows the guide for Node in an application
// that is bundled into one file, with names kept and everything else minified:
// errors and hangs are readable, and the process ends as it would have.
func guideNodeBundledByEsbuild(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/dist/go")
	token, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	application(t, dir, map[string]string{
		"package.json":  `{"name":"gate","private":true,"type":"module"}`,
		"src/server.ts": "import './report.mjs'\n\nfunction waitForTide(ms: number): void {\n  const end = Date.now() + ms\n  while (Date.now() < end);\n}\n\nfunction openGate(zone: string): never {\n  throw new RangeError('no gate in zone ' + zone)\n}\n\nsetTimeout(() => waitForTide(1500), 300)\nsetTimeout(() => openGate('D'), 2200)\n",
	})
	guideStep{Title: "the application's bundler", Run: "npm install esbuild@0.28"}.run(t, dir)
	for format, ext := range map[string]string{"cjs": "cjs", "esm": "mjs"} {
		t.Run(format, func(t *testing.T) {
			project := "guide-bundle-" + format
			shared.project(t, project)
			steps := guideOf(t, project, "node")
			steps[0].run(t, dir)
			report := steps[1]
			report.File = "src/" + report.File
			report.Text = strings.Replace(report.Text, "})", "  hangs: 400,\n})", 1)
			report.write(t, dir)
			guideStep{Title: "bundle", Run: "rm -rf dist && npx esbuild src/server.ts --bundle --platform=node --format=" + format + " --minify --keep-names --sourcemap=external --outfile=dist/server." + ext}.run(t, dir)
			push := steps[len(steps)-1]
			push.run(t, dir, "FIRETHORN_SERVER="+shared.url, "FIRETHORN_TOKEN="+strings.TrimSpace(string(token)))
			// On a busy machine the application ends before its last report is out; the
			// next start sends what the one before kept in the cache directory.
			start, kept := guideStep{Title: "run", Run: "if node dist/server." + ext + "; then exit 1; fi"}, t.TempDir()
			both := func() bool { return len(shared.issues(t, project)) == 2 }
			for began := time.Now(); !both() && time.Since(began) < patience; {
				start.run(t, dir, "XDG_CACHE_HOME="+kept)
				for next := time.Now().Add(5 * time.Second); !both() && time.Now().Before(next); {
					time.Sleep(50 * time.Millisecond)
				}
			}
			until(t, "both issues", both)
			var got []string
			for _, i := range shared.issues(t, project) {
				got = append(got, i.Headline+" "+i.Place)
			}
			all := strings.Join(got, "\n")
			if !strings.Contains(all, "RangeError in openGate src/server.ts:9") || !strings.Contains(all, "Hang in waitForTide src/server.ts:5") {
				t.Error(all)
			}
		})
	}
}
