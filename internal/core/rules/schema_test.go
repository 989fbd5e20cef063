package rules

import (
	"encoding/json"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"
)

// The published schema and the documentation have every section that Read knows, and no other.
func TestSchema_HasEverySection(t *testing.T) {
	var schema struct {
		Properties map[string]any `json:"properties"`
	}
	if err := json.Unmarshal(Schema, &schema); err != nil {
		t.Fatal(err)
	}
	delete(schema.Properties, "schema") // the version of the form
	if got, want := slices.Sorted(maps.Keys(schema.Properties)), slices.Sorted(slices.Values(sectionNames)); !slices.Equal(got, want) {
		t.Errorf("the schema has the sections %q, Read reads %q", got, want)
	}
	docs, err := os.ReadFile("../../../docs/rules.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range sectionNames {
		if !strings.Contains(string(docs), "\n"+name+":\n") && !strings.Contains(string(docs), "`"+name+"`") {
			t.Errorf("docs/rules.md does not have the section %s", name)
		}
	}
}
