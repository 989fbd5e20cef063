// Package guide says, step by step, how an application of each runtime is set
// up to report to a project: with the project's own key and the service's
// address, word for word as it is to be run and written.
package guide

import (
	"fmt"
	"strings"
)

// Facts are what a guide is filled in with.
type Facts struct {
	Server  string // where people and applications reach the service
	Key     string // the project's ingest key
	Project string
	Version string // of the clients that the service hands out
}

// Step is one thing to do. It has a command to run, or a file to write with
// its text.
type Step struct {
	Title string
	Why   string
	Run   string // shell commands, one a line
	File  string // path in the application's directory
	Text  string // the file's text, or what to add to it
	Later bool   // it belongs into the build or the deployment, not into the first try
}

// Guide is the steps of one runtime.
type Guide struct {
	Runtime, Name, About string
	Steps                []Step
}

// Runtime is one that there is a guide for.
type Runtime struct{ ID, Name string }

// Runtimes lists them in the order in which they are offered.
var Runtimes = []Runtime{
	{"vite", "Browser, built with Vite"}, {"browser", "Browser, other bundlers"}, {"node", "Node"}, {"node-web",
		"Node with a web framework"},
	{"go", "Go"}, {"opentelemetry", "OpenTelemetry, any language"}, {"logs", "Only logs"},
}

// For is the guide of a runtime; ok is false when there is none.
func For(runtime string, f Facts) (g Guide, ok bool) {
	for _, r := range Runtimes {
		if r.ID != runtime {
			continue
		}
		g = Guide{Runtime: r.ID, Name: r.Name}
		switch runtime {
		case "vite":
			g.vite(f)
		case "browser":
			g.browser(f)
		case "node":
			g.node(f)
		case "node-web":
			g.nodeWeb(f)
		case "go":
			g.golang(f)
		case "opentelemetry":
			g.openTelemetry(f)
		case "logs":
			g.logs(f)
		}
		return g, true
	}
	return Guide{}, false
}

func (g *Guide) add(steps ...Step) { g.Steps = append(g.Steps, steps...) }

// tarball is where the service hands the JavaScript client out.
func (f Facts) tarball() string {
	return fmt.Sprintf("%s/clients/firethorn-client-%s.tgz", f.Server, f.Version)
}

func (f Facts) install() Step {
	return Step{Title: "Install the client", Why: "The service hands it out itself, in the version that fits.", Run: "npm install " + f.tarball()}
}

func (f Facts) start(release string) string {
	return fmt.Sprintf("import { start } from '@firethorn/client'\n\nstart({\n  server: '%s',\n  key: '%s',\n  service: '%s',\n  release: %s,\n  environment: 'production',\n})\n", f.Server, f.Key, f.Project, release)
}

func (g *Guide) vite(f Facts) {
	g.About = "Uncaught errors are reported. Your build uploads the source maps that make them readable."
	g.add(f.install(),
		Step{Title: "Report errors", Why: "In a file of its own, which the application's entry imports first: import './report.js' on top of src/main.js or src/main.tsx.",
			File: "src/report.js", Text: f.start("import.meta.env.VITE_RELEASE ?? '1.0.0'")},
		Step{Title: "Upload the source maps with each build",
			Why: "In vite.config.js or vite.config.ts, whichever there is: add the plugin behind the plugins that are there. It ties each file to its map, uploads the maps and removes them from the output. " +
				"Its token may do nothing else: firethorn token create build --project " + f.Project + ". Without FIRETHORN_TOKEN the build passes and warns.",
			File: "vite.config.js", Text: fmt.Sprintf("import { symbols } from '@firethorn/client/symbols'\n\nexport default {\n  build: { sourcemap: 'hidden' },\n  plugins: [\n    symbols({\n      server: '%s',\n      token: process.env.FIRETHORN_TOKEN,\n      project: '%s',\n      release: process.env.VITE_RELEASE ?? '1.0.0',\n    }),\n  ],\n}\n", f.Server, f.Project)},
		Step{Title: "Build", Run: "npx vite build"},
		Step{Title: "Send a test event", Why: "Open the page, and throw an error in the browser's console.", Text: "setTimeout(() => { throw new Error('a test of the berth map') })"})
}

func (g *Guide) browser(f Facts) {
	g.About = "Uncaught errors are reported. The source maps that you push after the build make them readable."
	g.add(f.install(),
		Step{Title: "Report errors", Why: "In a file of its own, which the application's entry imports first: import './report.js'.", File: "src/report.js", Text: f.start("'1.0.0'")},
		Step{Title: "Build with source maps", Why: "webpack: devtool: 'hidden-source-map' · esbuild: --sourcemap=external · Rollup: output.sourcemap: 'hidden' · Parcel makes them by itself.", Later: true},
		Step{Title: "Push the source maps", Why: "After each build, before the files are served: the stamp ties each file to its map.",
			Run: fmt.Sprintf("firethorn symbols stamp dist\nfirethorn symbols push --project %s --release 1.0.0 --served-at https://app.example/ dist", f.Project), Later: true},
		Step{Title: "Send a test event", Why: "Open the page, and throw an error in the browser's console.", Text: "setTimeout(() => { throw new Error('a test of the berth map') })"})
}

func (g *Guide) node(f Facts) {
	g.About = "Uncaught errors and rejections are reported, and then end the process as they would have. So is an event loop that hangs."
	g.add(f.install(),
		Step{Title: "Report errors", Why: "In a file of its own, loaded before everything else.", File: "report.mjs",
			Text: f.start("process.env.RELEASE ?? '1.0.0'")},
		Step{Title: "Send a test event", Run: "node --import ./report.mjs --eval 'throw new Error(\"a test of the gate\")' || true"},
		Step{Title: "Start the application with it", Run: "node --import ./report.mjs server.mjs", Later: true},
		f.nodeMaps())
}

func (f Facts) nodeMaps() Step {
	return Step{Title: "Push the source maps", Why: "After each build, where the code that runs was built from other code.", Run: fmt.Sprintf("firethorn symbols push --project %s --release 1.0.0 dist", f.Project), Later: true}
}

func (g *Guide) nodeWeb(f Facts) {
	g.About = "Each request has its own user, attributes and breadcrumbs. An error that a handler throws is reported with the request's facts."
	express := "import './report.mjs'\nimport express from 'express'\nimport { report, wrap } from '@firethorn/client'\n\nconst app = express()\napp.use(wrap((req, res, next) => next())) // first\n\napp.get('/test', () => {\n  throw new Error('a test of the gate')\n})\n\napp.use((error, req, res, next) => { // last\n  report(error, { handled: false })\n  next(error)\n})\n\napp.listen(process.env.PORT ?? 3000)\n"
	g.add(f.install(),
		Step{Title: "Report errors", Why: "In a file of its own, imported before everything else. With sessions: 'request' each request is a session; without it the process is one.", File: "report.mjs",
			Text: strings.Replace(f.start("process.env.RELEASE ?? '1.0.0'"), "\n})", "\n  sessions: 'request',\n})",
				1)},
		Step{Title: "Wrap the application", Why: "Express and what works like it (Connect, Polka, Restify): the first middleware and the last. Fastify: serverFactory: (handler) => http.createServer(wrap(handler)) and app.setErrorHandler. Koa: http.createServer(wrap(app.callback())) and app.on('error', report). Plain http: http.createServer(wrap(handler)).",
			File: "server.mjs", Text: express},
		Step{Title: "Send a test event", Run: "PORT=3000 node server.mjs &\nsleep 1; curl http://127.0.0.1:3000/test"},
		f.nodeMaps())
}

func (g *Guide) golang(f Facts) {
	g.About = "Errors with their causes, panics, crashes, and work that hangs. The client uses the standard library alone."
	g.add(
		Step{Title: "Get the client", Why: "The service hands it out itself, as a module proxy.", Run: fmt.Sprintf("GOPROXY=%s/clients/go,$(go env GOPROXY) GONOSUMDB=firethorn.example go get firethorn.example/client@v%s", f.Server, f.Version)},
		Step{Title: "Report errors", Why: "On top of main. Then call firethorn.Report(ctx, err) where an error ends, and put firethorn.Handler around an http.Handler and firethorn.NewLogHandler around a slog.Handler. Gin, Echo, Fiber and chi recover panics themselves: the client's README has a recipe for each.", File: "main.go",
			Text: fmt.Sprintf("package main\n\nimport (\n\t\"context\"\n\t\"errors\"\n\n\tfirethorn \"firethorn.example/client\"\n)\n\nfunc main() {\n\tstop := firethorn.Start(firethorn.Options{\n\t\tServer: %q, Key: %q,\n\t\tService: %q, Release: \"1.0.0\", Environment: \"production\",\n\t})\n\tdefer stop()\n\n\tfirethorn.Report(context.Background(), errors.New(\"a test of the crew plan\"))\n}\n", f.Server, f.Key, f.Project)},
		Step{Title: "Send a test event", Run: "go run ."},
		Step{Title: "Build", Why: "Traces of Go are readable as they are: nothing is pushed. -trimpath keeps this machine's directories out of them.", Run: "go build -trimpath", Later: true})
}

func (g *Guide) openTelemetry(f Facts) {
	g.About = "An application that has OpenTelemetry already needs nothing of ours: exceptions on spans and in log records become events."
	env := fmt.Sprintf("OTEL_SERVICE_NAME=%s\nOTEL_RESOURCE_ATTRIBUTES=service.version=1.0.0,deployment.environment.name=production\nOTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf\nOTEL_EXPORTER_OTLP_ENDPOINT=%s\nOTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%%20%s\n", f.Project, f.Server, f.Key)
	body := fmt.Sprintf(`{"resourceLogs":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"%s"}},{"key":"service.version","value":{"stringValue":"1.0.0"}}]},"scopeLogs":[{"logRecords":[{"severityNumber":17,"body":{"stringValue":"the crew could not be assigned"},"attributes":[{"key":"exception.type","value":{"stringValue":"NoCrewError"}},{"key":"exception.message","value":{"stringValue":"a test of the exporter"}}]}]}]}]}`, f.Project)
	g.add(
		Step{Title: "Point the exporter here", Why: "In the environment of the application, or of a collector in between. Spans, log records or both.", File: "otel.env", Text: env},
		Step{Title: "Send a test event", Why: "What an exporter of log records sends, by hand.", Run: fmt.Sprintf("curl -s %s/v1/logs -H 'Authorization: Bearer %s' -H 'Content-Type: application/json' -d '%s'", f.Server, f.Key, body)},
		Step{Title: "Start the application with it", Run: "set -a; . ./otel.env; set +a\nnode --import @opentelemetry/auto-instrumentations-node/register server.mjs", Later: true},
		Step{Title: "Push the maps", Why: "Where the code that runs was built from other code.",
			Run: fmt.Sprintf("firethorn symbols push --project %s --release 1.0.0 dist", f.Project), Later: true})
}

func (g *Guide) logs(f Facts) {
	g.About = "Nothing in the application changes: stack traces in its log files, or in what it prints, become events."
	g.add(
		Step{Title: "Follow the files", Why: "As a service of the machine; it goes on where it stopped. From a pipe: my-program 2>&1 | firethorn forward … -", Run: fmt.Sprintf("firethorn forward --server %s --key %s --service %s --release 1.0.0 '/var/log/%s/*.log'", f.Server, f.Key, f.Project, f.Project), Later: true},
		Step{Title: "Send a test event", Why: "A trace as a program prints one.", Run: fmt.Sprintf("printf 'Traceback (most recent call last):\\n  File \"/srv/%s/rates.py\", line 12, in rate\\n    return boarded / minutes\\nZeroDivisionError: a test of the log\\n' | firethorn forward --server %s --key %s --service %s --release 1.0.0 -", f.Project, f.Server, f.Key, f.Project)},
		Step{Title: "Messages without a trace", Why: "Errors that have none become events where the project wants that.", Run: "firethorn project change --log-messages error " + f.Project, Later: true})
}
