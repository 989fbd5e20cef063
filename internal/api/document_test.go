package api

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"testing"
)

var update = flag.Bool("update", false, "rewrite docs/openapi.json")

// The committed document is what the console's types are made from; it must be
// what the code says.
func TestDocument_IsTheCommittedOne(t *testing.T) {
	raw, err := Document()
	if err != nil {
		t.Fatal(err)
	}
	var pretty bytes.Buffer
	if err := json.Indent(&pretty, raw, "", "  "); err != nil {
		t.Fatal(err)
	}
	pretty.WriteByte('\n')
	const file = "../../docs/openapi.json"
	if *update {
		if err := os.WriteFile(file, pretty.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	committed, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(committed, pretty.Bytes()) {
		t.Error("docs/openapi.json is not what the code says; run: make generate")
	}
	var doc struct {
		OpenAPI string                    `json:"openapi"`
		Paths   map[string]map[string]any `json:"paths"`
	}
	if err := json.Unmarshal(raw, &doc); err != nil {
		t.Fatal(err)
	}
	if doc.OpenAPI[:3] != "3.1" {
		t.Errorf("openapi = %s, want 3.1", doc.OpenAPI)
	}
	for _, path := range []string{"/api/projects/{project}/issues", "/api/issues/{project}/{number}/fix", "/api/session"} {
		if doc.Paths[path] == nil {
			t.Errorf("the document lacks %s", path)
		}
	}
}
