package testbed

import (
	"fmt"
	"testing"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

// Year makes a project that keeps events for a year, and fills it with so many: of ten issues, of
// which the first has half and the last has twelve; each user has 300.
func Year(tb testing.TB, n int) *Bench {
	tb.Helper()
	b := Open(tb, Noon)
	year := projects.ProjectChange{KeepDays: 365}
	if err := b.Projects.ChangeProject(tb.Context(), b.Project.ID, year); err != nil {
		tb.Fatal(err)
	}
	if err := b.Schema.EnsurePartitions(tb.Context()); err != nil {
		tb.Fatal(err)
	}
	for i := range 10 {
		b.File(Event{ID: fmt.Sprint(i), Function: fmt.Sprintf("berth%c", 'A'+i), Release: "4.2.0",
			At: Noon, User: "p-1"})
	}
	today := db.Day(Noon)
	day := fmt.Sprintf("%d-364+x.seq*365 DIV %d", today, n+1)
	variant := fmt.Sprintf("CASE WHEN x.seq%%2=0 THEN 1 WHEN x.seq%%%d=1 THEN 10"+
		" ELSE 2+(x.seq DIV 2)%%8 END", n/12)
	for _, q := range []string{
		"UPDATE event SET filing=filing+" + fmt.Sprint(n),
		"UPDATE event_body SET filing=filing+" + fmt.Sprint(n),
		"UPDATE newest_body SET filing=filing+" + fmt.Sprint(n),
		"UPDATE project_counter SET filing=filing+" + fmt.Sprint(n),
		"INSERT INTO event SELECT e.project, x.seq, " + day + "+365, " + day + ", UNHEX(LEFT(SHA2(x.seq,256),32))," +
			" (" + day + ")*86400000000, (" + day + ")*86400000000, v.id, e.app_release, e.environment, x.seq DIV 300, e.resource, NULL, NULL, 0, 0, x.seq%20=0, 1 FROM seq_1_to_" + fmt.Sprint(n) + " x JOIN (SELECT * FROM event ORDER BY filing LIMIT 1) e JOIN variant v ON v.id=" + variant,
		"UPDATE variant v JOIN (SELECT variant, SUM(has_body) b, SUM(stands_for) n FROM event GROUP BY 1) x ON x.variant=v.id SET v.bodies=x.b, v.events=x.n",
		"UPDATE issue_list l JOIN variant v ON v.issue=l.issue SET l.bodies=v.bodies, l.events=v.events",
		"INSERT IGNORE INTO issue_user (issue, user, variant, last_day) SELECT v.issue, e.user, e.variant, MAX(e.thrown DIV 86400000000) FROM event e JOIN variant v ON v.id=e.variant GROUP BY 1,2,3",
		"INSERT INTO event_span SELECT project, keep_day, MIN(filing), MAX(filing) FROM event GROUP BY project, keep_day ON DUPLICATE KEY UPDATE first_position=VALUES(first_position), last_position=VALUES(last_position)",
	} {
		if _, err := b.DB.ExecContext(tb.Context(), q); err != nil {
			tb.Fatalf("%.90s: %v", q, err)
		}
	}
	return b
}
