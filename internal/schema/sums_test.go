package schema

import (
	"strings"
	"testing"
	"testing/fstest"

	"firethorn/internal/db"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func TestApply_RefusesAMigrationThatWasChanged(t *testing.T) {
	d, err := db.Open(t.Context(), db.Options{DSN: testdb.DSN(t)})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	s := &Schema{db: d}
	files := func(list map[string]string) fstest.MapFS {
		out := fstest.MapFS{}
		for name, text := range list {
			out[name] = &fstest.MapFile{Data: []byte("-- +goose Up\n" + text)}
		}
		return out
	}
	first, second := "CREATE TABLE pier (id INT);\n", "CREATE TABLE berth (id INT);\n"
	good := map[string]string{"0001_pier.sql": first, "0002_berth.sql": second}
	for _, c := range []struct {
		name  string
		files map[string]string
		want  string // of the error
	}{
		{"an empty database", map[string]string{"0001_pier.sql": first}, ""},
		{"another migration", good, ""},
		{"nothing new", good, ""},
		{"a column more in an old one", map[string]string{"0001_pier.sql": "CREATE TABLE pier (id INT, name TEXT);\n", "0002_berth.sql": second}, "0001_pier.sql was changed"},
		{"a remark more in an old one", map[string]string{"0001_pier.sql": first, "0002_berth.sql": "-- for ships\n" + second}, "0002_berth.sql was changed"},
		{"as it was", good, ""},
	} {
		err := s.apply(t.Context(), files(c.files))
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
	// A database of before sums were kept is taken as it is, and known from then on.
	if _, err := d.ExecContext(t.Context(), "DROP TABLE schema_sum"); err != nil {
		t.Fatal(err)
	}
	changed := map[string]string{"0001_pier.sql": "-- once\n" + first, "0002_berth.sql": second}
	if err := s.apply(t.Context(), files(changed)); err != nil {
		t.Errorf("without sums: %v", err)
	}
	if err := s.apply(t.Context(), files(good)); err == nil {
		t.Error("a change after that is not seen")
	}
}

// Every migration of the product applies to an empty database, and again.
func TestOpen_Twice(t *testing.T) {
	dsn := testdb.DSN(t)
	for range 2 {
		d, err := db.Open(t.Context(), db.Options{DSN: dsn})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Open(t.Context(), d, false); err != nil {
			t.Error(err)
		}
		d.Close()
	}
}
