package calls

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// crowd is a service with so many people and projects: each person has a role in
// every seventh project, by themselves or by one of 40 teams.
func crowd(t *testing.T, people, count int) (*testbed.Bench, []*projects.Project) {
	t.Helper()
	b := testbed.Open(t, testbed.Noon)
	run := func(query string, args ...any) {
		t.Helper()
		if _, err := b.DB.ExecContext(t.Context(), query, args...); err != nil {
			t.Fatalf("%.200s: %v", query, err)
		}
	}
	rows := func(table string, n int, row func(i int) string) {
		t.Helper()
		for from := 0; from < n; from += 1000 {
			var values []string
			for i := from; i < min(n, from+1000); i++ {
				values = append(values, row(i))
			}
			run("INSERT INTO " + table + " VALUES " + strings.Join(values, ","))
		}
	}
	rows("project (name, created, user_secret, grouping_version, grouping_wanted)", count, func(i int) string {
		return fmt.Sprintf("('pier-%03d',0,'',6,6)", i)
	})
	rows("person (id, name, email, team, created)", people, func(i int) string {
		return fmt.Sprintf("(%d,'Clerk %04d','clerk.%04d@marrowsound.example',0,0)", 1000+i, i, i)
	})
	rows("person (id, name, email, team, created)", 40, func(i int) string { return fmt.Sprintf("(%d,'Crew %02d',NULL,1,0)", 10+i, i) })
	rows("team_member (team, person)", people, func(i int) string { return fmt.Sprintf("(%d,%d)", 10+i%40, 1000+i) })
	list, err := b.Projects.Projects(t.Context(), sight.All)
	if err != nil || len(list) != count+1 {
		t.Fatalf("%d projects, %v", len(list), err)
	}
	var roles []string
	for i := range people {
		for j := i % 7; j < count; j += 14 {
			roles = append(roles, fmt.Sprintf("(%d,%d,%d,0)", 1000+i, list[j].ID, 1+i%3))
		}
	}
	for i := range 40 {
		for j := i % 14; j < count; j += 14 {
			roles = append(roles, fmt.Sprintf("(%d,%d,2,0)", 10+i, list[j].ID))
		}
	}
	rows("project_role (person, project, role, changed)", len(roles), func(i int) string { return roles[i] })
	run("ANALYZE TABLE project_role, team_member, person")
	return b, list
}

// What the checks of one request cost with 2,000 people and 500 projects: who asks is
// found anyway, the role is what is added. The figures stand in docs/performance.md:
//
//	go test ./internal/api/calls -run CostsLittle -v
func TestMay_CostsLittle(t *testing.T) {
	people, count := 200, 50
	if testing.Verbose() {
		people, count = 2000, 500
	}
	b, list := crowd(t, people, count)
	f := NewFrame(Frame{Store: Stores{Accounts: b.Accounts, Projects: b.Projects, DB: b.DB}})
	link, err := b.Accounts.NewSignInLink(t.Context(), 1003, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link})
	if err != nil {
		t.Fatal(err)
	}
	var g *accounts.Grant
	measure := func(what string, n int, do func(i int) error) {
		t.Helper()
		began := time.Now()
		for i := range n {
			if err := do(i); err != nil {
				t.Fatal(what, err)
			}
		}
		t.Logf("%-50s %8.3f ms", what, float64(time.Since(began).Microseconds())/float64(n)/1000)
	}
	n := 50
	if testing.Verbose() {
		n = 2000
	}
	for range 2 {
		measure("a bare statement (the yardstick)", n, func(int) error {
			var one int
			return b.DB.QueryRowContext(t.Context(), "SELECT 1 FROM person WHERE id=?", 1003).Scan(&one)
		})
		measure("who asks, by a session", n, func(int) error {
			g, err = b.Accounts.GrantOfSession(t.Context(), secret, "")
			return err
		})
		ctx := context.WithValue(t.Context(), grantKey{}, g)
		may := 0
		measure("whether they may do something in a project", n, func(i int) error {
			ok, err := f.Allowed(ctx, access.TriageIssues, list[i%len(list)])
			if ok {
				may++
			}
			return err
		})
		if may == 0 || may == n {
			t.Errorf("%d of %d allowed", may, n)
		}
		measure("whether they may do something in the service", n, func(int) error {
			_, err := f.Allowed(ctx, access.ReadAudit, nil)
			return err
		})
		measure("the names of what changed, as they see it", n/10, func(i int) error {
			_, err := b.Projects.Seen(ctx, []string{list[i%len(list)].Name, "pier-001", "pier-002"}, f.Sight(ctx, access.ReadIssues))
			return err
		})
		var seen []*projects.Project
		measure("all projects that they see", n/50, func(int) error {
			seen, err = b.Projects.Projects(ctx, f.Sight(ctx, access.ReadIssues))
			return err
		})
		measure("all projects, without a filter", n/50, func(int) error {
			_, err := b.Projects.Projects(ctx, sight.All)
			return err
		})
		if len(seen) == 0 || len(seen) == len(list) {
			t.Errorf("%d of %d seen", len(seen), len(list))
		}
		measure("all people that they see", max(1, n/200), func(int) error {
			_, err := b.Accounts.People(ctx, accounts.Shared{Seen: f.Sight(ctx, access.ReadIssues), Person: 1003})
			return err
		})
	}
	for _, q := range []string{
		"SELECT MAX(r.role) FROM project_role r WHERE r.person=1003 AND r.project IN (0,7)",
		"SELECT MAX(r.role) FROM team_member m JOIN project_role r ON r.person=m.team AND r.project IN (0,7) WHERE m.person=1003",
	} {
		rows, err := b.DB.QueryContext(t.Context(), "EXPLAIN "+q)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			var id, kind, table, access, keys, key, length, ref, count, extra any
			if err := rows.Scan(&id, &kind, &table, &access, &keys, &key, &length, &ref, &count, &extra); err != nil {
				t.Fatal(err)
			}
			t.Logf("%s: %s by %s, %s rows", table, access, key, count)
			if fmt.Sprintf("%s", access) == "ALL" {
				t.Errorf("%s is read as a whole", table)
			}
		}
		rows.Close()
	}
}
