package e2e

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/pipeline"
)

// secretTexts are the texts of the core's list of secrets, and what of them
// must not be found anywhere.
func secretTexts(t *testing.T) (texts, secrets []string) {
	t.Helper()
	raw, err := os.ReadFile("../internal/core/scrub/testdata/values.json")
	if err != nil {
		t.Fatal(err)
	}
	var v struct {
		Secrets []struct {
			Text    string
			Secrets []string
		}
	}
	if err := json.Unmarshal(raw, &v); err != nil || len(v.Secrets) < 60 {
		t.Fatalf("%d secrets, %v", len(v.Secrets), err)
	}
	for _, s := range v.Secrets {
		texts = append(texts, s.Text)
		for _, secret := range s.Secrets {
			if len(secret) >= 6 { // shorter ones are found by chance
				secrets = append(secrets, secret)
			}
		}
	}
	return texts, secrets
}

// databaseOf opens the private database of a data directory.
func databaseOf(t *testing.T, dir string) *sql.DB {
	t.Helper()
	password, err := os.ReadFile(filepath.Join(dir, "database", "password"))
	if err != nil {
		t.Fatal(err)
	}
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = "firethorn", strings.TrimSpace(string(password)), "unix", filepath.Join(dir, "database", "run", "s.sock"), "firethorn"
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

// everything reads all rows of a data directory's database, what is compressed
// also as it reads, and all files beside it.
func everything(t *testing.T, dir string) []byte {
	t.Helper()
	db := databaseOf(t, dir)
	var all bytes.Buffer
	var tables []string
	scan := func(query string, row func([]sql.RawBytes)) {
		rows, err := db.QueryContext(t.Context(), query)
		if err != nil {
			t.Fatal(err)
		}
		defer rows.Close()
		names, err := rows.Columns()
		if err != nil {
			t.Fatal(err)
		}
		cells := make([]sql.RawBytes, len(names))
		into := make([]any, len(names))
		for i := range cells {
			into[i] = &cells[i]
		}
		for rows.Next() {
			if err := rows.Scan(into...); err != nil {
				t.Fatal(err)
			}
			row(cells)
		}
		if err := rows.Err(); err != nil {
			t.Fatal(err)
		}
	}
	scan("SHOW TABLES", func(cells []sql.RawBytes) { tables = append(tables, string(cells[0])) })
	if len(tables) < 20 {
		t.Fatalf("only the tables %v", tables)
	}
	for _, table := range tables {
		if table == "symbol_content" { // what a team pushed itself: its maps
			continue
		}
		scan("SELECT * FROM `"+table+"`", func(cells []sql.RawBytes) {
			for _, cell := range cells {
				all.Write(cell)
				all.WriteByte('\n')
				if plain, err := pipeline.Decompress(cell); err == nil {
					all.Write(plain)
					all.WriteByte('\n')
				}
			}
		})
	}
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		raw, err := os.ReadFile(path)
		all.Write(raw)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return all.Bytes()
}

func TestScrub_NothingSecretReachesTheDisk(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "d")
	p := launch(t, build(t), dir, "--log-level", "debug")
	key := p.project(t, "quayside")
	texts, secrets := secretTexts(t)
	e := map[string]any{"message": "an event full of secrets", "attributes": map[string]any{}, "state": map[string]any{"list": texts},
		"exceptions": []any{map[string]any{"type": "TypeError", "message": strings.Join(texts, "\n"), "stack": "TypeError: " + strings.Join(texts, " | ") + "\n    at go (https://quayside.example/app.js:1:1)"}}}
	var crumbs []any
	for i, text := range texts {
		e["attributes"].(map[string]any)[fmt.Sprintf("a%d", i)] = text
		crumbs = append(crumbs, map[string]any{"message": text, "attributes": map[string]any{"url.full": text}})
	}
	e["breadcrumbs"] = crumbs
	raw, err := json.Marshal(e)
	if err != nil {
		t.Fatal(err)
	}
	for _, body := range []string{string(raw), `{"resource":` + fmt.Sprintf("{%q:%q}", "r", texts[0]) + `,"events":[` + string(raw) + `]}`} {
		if code, answer := p.post(t, key, body); code != 202 {
			t.Fatalf("%d %s", code, answer)
		}
	}
	token := secrets[slices.IndexFunc(secrets, func(s string) bool { return strings.HasPrefix(s, "eyJ") })]
	p.post(t, key, `{"id":"`+token+`","message":"refused, with its reason"}`)
	p.post(t, key, `{"message":["not fileable"],"attributes":{"a":"`+"password=Kittiwake77"+`"}}`)
	p.settle(t)
	time.Sleep(1200 * time.Millisecond) // what was refused is counted once a second
	all := everything(t, dir)
	for _, s := range append(secrets, "Kittiwake77") {
		if i := bytes.Index(all, []byte(s)); i >= 0 {
			t.Errorf("%q is in the data directory: …%q…", s, all[max(0, i-60):min(len(all), i+len(s)+20)])
		}
	}
	if !bytes.Contains(all, []byte("an event full of secrets")) {
		t.Error("the event itself is not found either: the search proves nothing")
	}
	got := newest(t, p.service, "quayside")
	list, _ := got["scrubbed"].([]any)
	if len(list) < 40 || text(list[0], "by") != "service" || text(list[0], "where") == "" {
		t.Errorf("the event says it was scrubbed at %d places: %v", len(list), list)
	}
}

func TestScrub_SourceLinesAreCleanWhenTheyAreShown(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "sources")
	dir := t.TempDir()
	source := "const berth = 'C'\nconst password = 'Mackerel77'\nthrow new Error('x')\n"
	m, err := json.Marshal(map[string]any{"version": 3, "sources": []string{"src/gate.ts"}, "sourcesContent": []string{source}, "names": []string{}, "mappings": "AAEA"})
	if err != nil {
		t.Fatal(err)
	}
	for name, content := range map[string]string{"gate.js": "throw new Error('x')\n//# sourceMappingURL=gate.js.map\n", "gate.js.map": string(m)} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	shared.run(t, 0, "symbols", "push", "--project", "sources", "--release", "1.0.0", "--served-at", "https://quayside.example/", dir)
	shared.post(t, key, `{"exceptions":[{"type":"Error","message":"x","stack":"Error: x\n    at https://quayside.example/gate.js:1:1"}],"resource":{"service.version":"1.0.0"}}`)
	e := newest(t, shared, "sources")
	raw, _ := json.Marshal(e) // it was JSON before
	if bytes.Contains(raw, []byte("Mackerel77")) || !bytes.Contains(raw, []byte("const password = '[scrubbed]'")) || !bytes.Contains(raw, []byte("const berth = 'C'")) {
		t.Errorf("source lines: %s", raw)
	}
	if text(e, "scrubbed", "0", "where") != "the source lines of src/gate.ts" {
		t.Errorf("the event says %v", e["scrubbed"])
	}
}

func TestNodeClient_ScrubsBeforeItSends(t *testing.T) {
	t.Parallel()
	var wire bytes.Buffer
	var mu sync.Mutex // events and sessions come at once
	stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		_, _ = wire.ReadFrom(r.Body) // into memory
		w.WriteHeader(202)
	}))
	defer stub.Close()
	texts, secrets := secretTexts(t)
	list, _ := json.Marshal(texts) // texts
	node(t, `
import { start, report, message, note, attributes, drain } from '@firethorn/client'
start({ server: '`+stub.URL+`', key: 'k', scrub: { names: ['berth'], patterns: [/MSF-\d{6}/g], keep: ['gate.token'] },
  edit: (e) => (e.message === 'not this one' ? null : { ...e, attributes: { ...e.attributes, edited: 'password=Kittiwake77' } }) })
const texts = `+string(list)+`
message('pass MSF-204811', { attributes: { 'gate.token': 'open', berth: 'C7', n: 4111111111111111 } })
message('not this one')
await drain()
for (const t of texts) { note('log', t); attributes({ ['a' + t.length]: t }); message(t); report(new Error(t, { cause: t })) }
await drain()
`, 0)
	all := wire.String()
	for _, s := range append(secrets, "Kittiwake77", "MSF-204811", "C7", "4111111111111111") {
		if i := strings.Index(all, s); i >= 0 {
			t.Errorf("%q left the application: …%s…", s, all[max(0, i-80):min(len(all), i+60)])
		}
	}
	for _, want := range []string{`{"rule":"pattern","where":"message","count":1}`, `"gate.token":"open"`, `"where":"attributes.berth"`} {
		if !strings.Contains(all, want) {
			t.Errorf("%s was not sent in …%s", want, all[max(0, len(all)-600):])
		}
	}
	if strings.Contains(all, "not this one") {
		t.Error("what edit drops was sent")
	}
}

// The client finds what the service finds, and spoils as little.
func TestClient_ScrubsTheSameValues(t *testing.T) {
	t.Parallel()
	if _, err := os.Stat("../node_modules/typescript"); err != nil {
		needBuild(t, "../node_modules/typescript")
	}
	const script = `
import { readFileSync, writeFileSync } from 'node:fs'
import { pathToFileURL } from 'node:url'
import ts from 'typescript'
const source = readFileSync('../client/js/src/scrub.ts', 'utf8')
const file = process.argv[1]
writeFileSync(file, ts.transpileModule(source, { compilerOptions: { module: 'ESNext', target: 'ES2022' } }).outputText)
const { scrubText } = await import(pathToFileURL(file).href)
const v = JSON.parse(readFileSync('../internal/core/scrub/testdata/values.json', 'utf8'))
const bad = []
for (const c of v.secrets) {
  const rules = []
  const got = scrubText(c.text, (r) => rules.push(r))
  if (rules[0] !== c.kind || c.secrets.some((s) => got.includes(s))) bad.push(c.kind + ': ' + c.text + ' became ' + got + ' by ' + rules)
}
for (const t of v.look_alikes) {
  const got = scrubText(t, () => {})
  if (got !== t) bad.push(t + ' was spoilt: ' + got)
}
console.log(v.secrets.length + v.look_alikes.length + ' texts')
for (const b of bad) console.log('BAD ' + b)
`
	cmd := exec.CommandContext(t.Context(), "node", "--input-type=module", "-e", script, filepath.Join(t.TempDir(), "scrub.mjs"))
	out, err := cmd.CombinedOutput()
	if err != nil || strings.Contains(string(out), "BAD") || !regexp.MustCompile(`^1[23]\d texts`).Match(out) {
		t.Errorf("%v\n%s", err, out)
	}
}
