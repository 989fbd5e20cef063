package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"testing"

	core "firethorn/internal/core/event"
)

// vector is a line of calls of a client, what it puts on the wire, and what
// the service makes of that. Both clients and the service are held to them.
type vector struct {
	Name    string
	Start   map[string]any
	Do      [][]json.RawMessage
	Wire    map[string]any
	Service struct{ Release, Environment, User, Severity string }
}

func vectors(t *testing.T) (list []vector) {
	t.Helper()
	raw, err := os.ReadFile("../client/vectors.json")
	if err == nil {
		err = json.Unmarshal(raw, &list)
	}
	if err != nil || len(list) < 5 {
		t.Fatal(len(list), err)
	}
	return list
}

// holds fails unless all of want is in got.
func holds(t *testing.T, where string, want, got any) {
	t.Helper()
	switch w := want.(type) {
	case map[string]any:
		g, _ := got.(map[string]any)
		for k, v := range w {
			holds(t, where+"."+k, v, g[k])
		}
	case []any:
		g, _ := got.([]any)
		if len(g) != len(w) {
			t.Errorf("%s has %d, want %d: %v", where, len(g), len(w), got)
			return
		}
		for i := range w {
			holds(t, fmt.Sprint(where, "[", i, "]"), w[i], g[i])
		}
	default:
		if fmt.Sprint(want) != fmt.Sprint(got) {
			t.Errorf("%s = %v, want %v", where, got, want)
		}
	}
}

// interpreter runs the steps of a vector against the Node client.
const interpreter = `
import * as firethorn from '@firethorn/client'
const { start, do: steps } = VECTOR
const error = (v) => v.members ? new AggregateError(v.members.map(error), v.message) : new Error(v.message, v.cause ? { cause: error(v.cause) } : {})
firethorn.start({ server: 'SERVER', key: 'in-key', sessions: false, hangs: false, ...start })
for (const [name, ...args] of steps) {
  switch (name) {
    case 'report': {
      const { extend, ...details } = args[1] ?? {}
      firethorn.report(error(args[0]), { ...details, ...(extend ? { grouping: { extend } } : {}) })
      break
    }
    case 'snapshot': firethorn.snapshot(() => args[0]); break
    default: firethorn[name](...args)
  }
}
if (!(await firethorn.drain())) process.exit(1)
`

func TestVectors_OfTheNodeClientAndTheService(t *testing.T) {
	t.Parallel()
	for _, v := range vectors(t) {
		t.Run(v.Name, func(t *testing.T) {
			var mu sync.Mutex
			var sent []json.RawMessage
			var resource map[string]json.RawMessage
			stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				var env struct {
					Resource map[string]json.RawMessage
					Events   []json.RawMessage
				}
				if err := json.NewDecoder(r.Body).Decode(&env); err != nil {
					t.Error(err)
				}
				mu.Lock()
				defer mu.Unlock()
				sent, resource = append(sent, env.Events...), env.Resource
				w.WriteHeader(http.StatusAccepted)
			}))
			defer stub.Close()
			raw, err := json.Marshal(map[string]any{"start": v.Start, "do": v.Do})
			if err != nil {
				t.Fatal(err)
			}
			node(t, strings.NewReplacer("VECTOR", string(raw), "SERVER", stub.URL).Replace(interpreter), 0)
			mu.Lock()
			defer mu.Unlock()
			if len(sent) != 1 {
				t.Fatalf("%d events", len(sent))
			}
			var wire map[string]any
			if err := json.Unmarshal(sent[0], &wire); err != nil {
				t.Fatal(err)
			}
			holds(t, "wire", v.Wire, wire)
			e, err := core.Decode(sent[0], core.DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			e.Resource = core.Attributes{}
			for k, value := range resource {
				if k != "app.installation.id" {
					e.Resource[k] = strings.Trim(string(value), `"`)
				}
			}
			if _, user := e.Identity(); e.Release() != v.Service.Release || e.Environment() != v.Service.Environment || user != v.Service.User || string(e.Severity) != v.Service.Severity {
				t.Errorf("the service makes of it release %q, environment %q, user %q, severity %q", e.Release(), e.Environment(), user, e.Severity)
			}
		})
	}
}
