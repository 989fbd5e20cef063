package alerting_test

import (
	"fmt"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
	"firethorn/internal/testbed"
)

// becoming are situations about what issues become.
var becoming = []situation{
	{name: "a new issue", rules: newRule, happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to hook sent", states: "1 sent"},
	{name: "the same issue again", rules: newRule, happens: func(s *scene) { s.happen("tideAt"); s.happen("tideAt") }, want: "1 new to hook sent"},
	{name: "two new issues", rules: newRule, happens: func(s *scene) { s.happen("tideAt"); s.happen("zoneOf") }, want: "1 new to hook sent; 2 new to hook sent"},
	{name: "no rule asks for it", rules: rule("back", `became("regressed")`, ""), happens: func(s *scene) { s.happen("tideAt") }, want: ""},
	{name: "a section without rules", rules: "alerts: []\n", happens: func(s *scene) { s.mail(); s.happen("tideAt") }, want: ""},
	{name: "another environment", rules: rule("prod", `became("new") && environment == "production"`, ""), happens: func(s *scene) { s.happen("tideAt", at("staging")) }, want: ""},
	{name: "the environment that the rule names", rules: rule("prod", `became("new") && environment == "production"`, ""), happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to hook sent"},
	{name: "in the newest release", rules: rule("newest", `became("new") && in_newest_release`, ""), happens: func(s *scene) { s.happen("tideAt", in("4.3.0")) }, want: "1 new to hook sent"},
	{name: "in an older release", rules: rule("newest", `became("new") && in_newest_release`, ""), happens: func(s *scene) {
		s.happen("zoneOf", in("4.3.0"))
		if err := s.Scoring.RefreshInputs(s.T.Context(), s.Project.ID); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt", in("4.1.0"))
	}, want: "1 new to hook sent"},
	{name: "fixed and came back", rules: rule("back", `became("regressed")`, ""), happens: func(s *scene) {
		s.happen("tideAt", in("4.1.0"))
		s.fix(1)
		s.later(time.Hour)
		s.happen("tideAt", in("4.2.0"))
	}, want: "1 regressed to hook sent"},
	{name: "came back twice", rules: rule("back", `became("regressed")`, ""), happens: func(s *scene) {
		for range 2 {
			s.happen("tideAt", in("4.2.0"))
			s.Act(1, testbed.FixedIn("4.2.0"))
			s.later(time.Hour)
			s.happen("tideAt", in("4.2.0"))
		}
	}, want: "1 regressed to hook sent; 1 regressed to hook sent"},
	{name: "in a release without the fix", rules: rule("back", `became("regressed")`, ""), happens: func(s *scene) {
		s.happen("tideAt", in("4.1.0"))
		s.fix(1)
		s.later(time.Hour)
		s.happen("tideAt", in("4.1.0"))
	}, want: ""},
	{name: "parked and woken by its events", rules: rule("up", `became("woken")`, ""), happens: func(s *scene) {
		s.happen("tideAt")
		s.Act(1, issue.Action{Verb: issue.Parking, Park: issue.Park{Events: 2}})
		s.later(time.Minute)
		s.crowd("tideAt", 0, 3)
	}, want: "1 woken to hook sent"},
	{name: "parked and woken by time", rules: rule("up", `became("woken")`, ""), happens: func(s *scene) {
		s.happen("tideAt")
		s.Act(1, issue.Action{Verb: issue.Parking, Park: issue.Park{Until: s.Now.Add(time.Hour)}})
		s.later(2 * time.Hour)
		if _, err := s.Status.WakeDue(s.T.Context()); err != nil {
			s.T.Fatal(err)
		}
		s.plan()
	}, want: "1 woken to hook sent"},
	{name: "called fixed", rules: rule("done", `became("fixed")`, ""), happens: func(s *scene) { s.happen("tideAt"); s.fix(1) }, want: "1 fixed to hook sent"},
	{name: "given to somebody", rules: rule("given", `became("assigned")`, ""), happens: func(s *scene) { s.happen("tideAt"); s.assign(1, "Oke Farrow") }, want: "1 assigned to hook sent"},
	{name: "given to another one", rules: rule("given", `became("assigned")`, ""), happens: func(s *scene) {
		s.happen("tideAt")
		s.assign(1, "Oke Farrow")
		s.assign(1, "Maren Holt")
	}, want: "1 assigned to hook sent; 1 assigned to hook sent"},
	{name: "two comments", rules: rule("said", `became("commented")`, ""), happens: func(s *scene) {
		s.happen("tideAt")
		s.comment("it is the tide table")
		s.comment("and the harbour's clock")
	}, want: "1 commented to hook sent; 1 commented to hook sent"},
	{name: "what an issue is", rules: rule("big", `became("assigned") && issue.users >= 3 && issue.state == "accepted"`, ""), happens: func(s *scene) {
		s.crowd("tideAt", 0, 3)
		s.happen("zoneOf")
		s.assign(1, "Oke Farrow")
		s.assign(2, "Oke Farrow")
	}, want: "1 assigned to hook sent"},
	{name: "a search that fits", rules: rule("search", `became("new") && matches("type:TypeError user:p-7")`, ""), happens: func(s *scene) {
		s.happen("tideAt", user("p-7"))
		s.happen("zoneOf", user("p-8"))
	}, want: "1 new to hook sent"},
	{name: "a condition on the exception", rules: rule("range", `became("new") && exception.type == "RangeError"`, ""), happens: func(s *scene) { s.happen("tideAt") }, want: ""},
	{name: "a merge alerts nobody", rules: rule("any", `became("new") || became("regressed")`, ""), happens: func(s *scene) {
		s.happen("tideAt")
		s.happen("zoneOf")
		s.Merge(1, 2)
		s.Followed()
		s.plan()
	}, want: "1 new to hook sent; 2 new to hook sent"},
	{name: "an issue that was deleted", rules: newRule, happens: func(s *scene) {
		s.File(testbed.Event{Function: "tideAt", At: s.Now})
		if _, err := s.DB.ExecContext(s.T.Context(), "DELETE FROM issue_list"); err != nil {
			s.T.Fatal(err)
		}
		s.plan()
	}, want: ""},
}

// counting are situations about thresholds.
var counting = []situation{
	{name: "enough users", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 5) }, want: "1 threshold to hook sent"},
	{name: "one user too few", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 4) }, want: ""},
	{name: "one user many times", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) {
		for range 9 {
			s.happen("tideAt")
		}
	}, want: ""},
	{name: "reached in several batches", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 3); s.crowd("tideAt", 3, 3) }, want: "1 threshold to hook sent"},
	{name: "too long ago", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 3); s.later(2 * time.Hour); s.crowd("tideAt", 3, 3) }, want: ""},
	{name: "fires once", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 6); s.crowd("tideAt", 6, 6) }, want: "1 threshold to hook sent"},
	{name: "fires again after a fix", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) {
		s.crowd("tideAt", 0, 6)
		s.later(10 * time.Minute)
		s.fix(1)
		s.later(20 * time.Minute)
		s.crowd("tideAt", 6, 6)
	}, want: "1 threshold to hook sent; 1 threshold to hook sent"},
	{name: "fires again after again", rules: rule("many", "true", ", users: 5, within: 1h, again: 1d, to: [hook]"), happens: func(s *scene) {
		s.crowd("tideAt", 0, 6)
		s.later(3 * time.Hour)
		s.crowd("tideAt", 6, 6)
		s.later(23 * time.Hour)
		s.crowd("tideAt", 20, 6)
	}, want: "1 threshold to hook sent; 1 threshold to hook sent"},
	{name: "enough events", rules: rule("often", "true", ", events: 10, within: 2h, to: [hook]"), happens: func(s *scene) {
		s.happen("tideAt", func(e *testbed.Event) { e.Stands = 12 })
	}, want: "1 threshold to hook sent"},
	{name: "users and events together", rules: rule("both", "true", ", users: 3, events: 100, within: 2h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 5) }, want: ""},
	{name: "only what the condition counts", rules: rule("prod", `environment == "staging"`, ", users: 3, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 9) }, want: ""},
	{name: "a threshold on a new issue", rules: rule("first", "in_newest_release", ", users: 3, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 3) }, want: "1 threshold to hook sent"},
	{name: "too few sessions to judge", rules: rule("share", "true", ", sessions: 1%, within: 1h, to: [hook]"), happens: func(s *scene) {
		s.sessions(50)
		s.hit(5)
	}, want: ""},
	{name: "a share of sessions", rules: rule("share", "true", ", sessions: 1%, within: 1h, to: [hook]"), happens: func(s *scene) {
		s.sessions(200)
		s.hit(1)
		s.hit(2)
	}, want: "1 threshold to hook sent"},
	{name: "two rules count apart", rules: rule("few", "true", ", users: 3, within: 1h, to: [hook]") + rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) { s.crowd("tideAt", 0, 5) },
		want: "1 threshold to hook sent; 1 threshold to hook sent", states: "2 sent"},
	{name: "a merge reaches no threshold", rules: rule("many", "true", ", users: 5, within: 1h, to: [hook]"), happens: func(s *scene) {
		s.crowd("tideAt", 0, 4)
		s.crowd("zoneOf", 10, 4)
		s.Merge(1, 2)
		s.Followed()
		s.plan()
	}, want: ""},
	{name: "a rule counts from its push on", rules: newRule, happens: func(s *scene) {
		s.crowd("tideAt", 0, 6)
		s.later(time.Minute)
		s.push("alerts:\n" + rule("many", "true", ", users: 8, within: 1h, to: [hook]"))
		s.crowd("tideAt", 6, 6)
	}, want: "1 new to hook sent"},
}

// silence are situations about quiet hours, bounds and pauses.
var silence = []situation{
	{name: "in quiet hours", rules: rule("calm", `became("new")`, `, to: [hook], quiet: {from: "11:00", to: "13:00", zone: UTC}`), happens: func(s *scene) { s.happen("tideAt") },
		want: "1 new to hook held (held until 2026-11-23 13:00 UTC: quiet hours)", states: "1 held"},
	{name: "one held message is sent as it is", rules: rule("calm", `became("new")`, `, to: [hook], quiet: {from: "11:00", to: "13:00", zone: UTC}`), happens: func(s *scene) {
		s.happen("tideAt")
		s.later(61 * time.Minute)
		s.plan()
	}, want: "1 new to hook held (held until 2026-11-23 13:00 UTC: quiet hours)", states: "1 sent"},
	{name: "several held messages are one", rules: rule("calm", `became("new")`, `, to: [hook], quiet: {from: "11:00", to: "13:00", zone: UTC}`), happens: func(s *scene) {
		s.happen("tideAt")
		s.happen("zoneOf")
		s.later(61 * time.Minute)
		s.plan()
	}, want: "1 new to hook held (held until 2026-11-23 13:00 UTC: quiet hours); 2 new to hook held (held until 2026-11-23 13:00 UTC: quiet hours)", states: "1 sent, 2 summarised"},
	{name: "over midnight", rules: rule("night", `became("new")`, `, to: [hook], quiet: {from: "22:00", to: "13:00", zone: UTC}`), happens: func(s *scene) { s.happen("tideAt") },
		want: "1 new to hook held (held until 2026-11-23 13:00 UTC: quiet hours)"},
	{name: "another zone is not quiet", rules: rule("night", `became("new")`, `, to: [hook], quiet: {from: "11:00", to: "13:00", zone: Asia/Tokyo}`), happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to hook sent"},
	{name: "more than at most", rules: rule("few", `became("new")`, ", to: [hook], at-most: {messages: 2, within: 1h}"), happens: func(s *scene) {
		for i := range 4 {
			s.happen(fmt.Sprint("f", i))
		}
	}, want: "1 new to hook sent; 2 new to hook sent; 3 new to hook held (held until 2026-11-23 13:00 UTC: too many); 4 new to hook held (held until 2026-11-23 13:00 UTC: too many)", states: "2 sent, 2 held"},
	{name: "the rest is one summary", rules: rule("few", `became("new")`, ", to: [hook], at-most: {messages: 2, within: 1h}"), happens: func(s *scene) {
		for i := range 5 {
			s.happen(fmt.Sprint("f", i))
		}
		s.later(61 * time.Minute)
		s.plan()
		s.happen("later")
	}, want: "1 new to hook sent; 2 new to hook sent; 3 new to hook held (held until 2026-11-23 13:00 UTC: too many); 4 new to hook held (held until 2026-11-23 13:00 UTC: too many); 5 new to hook held (held until 2026-11-23 13:00 UTC: too many); 6 new to hook sent", states: "4 sent, 3 summarised"},
	{name: "a paused rule", rules: newRule, happens: func(s *scene) {
		if err := s.Alerting.Pause(s.T.Context(), s.Project, "fresh", s.Now.Add(time.Hour), accounts.Actor{Kind: "person", Name: "Maren Holt"}); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
		s.later(2 * time.Hour)
		s.happen("zoneOf")
	}, want: "1 new not sent (paused); 2 new to hook sent"},
	{name: "a pause that was ended", rules: newRule, happens: func(s *scene) {
		if err := s.Alerting.Pause(s.T.Context(), s.Project, "fresh", s.Now.Add(time.Hour), accounts.Actor{Kind: "person", Name: "Maren Holt"}); err != nil {
			s.T.Fatal(err)
		}
		if err := s.Alerting.Resume(s.T.Context(), s.Project, "fresh"); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
	}, want: "1 new to hook sent"},
	{name: "a destination that is not there", rules: rule("lost", `became("new")`, ", to: [harbour chat]"), happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to harbour chat not sent (no destination)"},
	{name: "a destination of other projects", rules: newRule, happens: func(s *scene) {
		s.destination.Projects = []string{"gangway"}
		if _, err := s.DB.ExecContext(s.T.Context(), "UPDATE destination SET projects='[\"gangway\"]' WHERE name='hook'"); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
	}, want: "1 new to hook not sent (no destination)"},
	{name: "a destination that was removed", rules: newRule, happens: func(s *scene) {
		s.office.status = func(int) int { return 500 }
		s.happen("tideAt")
		if err := s.Alerting.RemoveDestination(s.T.Context(), "hook"); err != nil {
			s.T.Fatal(err)
		}
		s.happen("zoneOf")
	}, want: "1 new to hook sent; 2 new to hook not sent (no destination)", states: "1 cancelled"},
}

// people are situations about recipients of mail.
var people = []situation{
	{name: "the defaults without a mail server", happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to members not sent (no mail)"},
	{name: "the defaults", happens: func(s *scene) { s.mail(); s.happen("tideAt") }, want: "1 new to Maren Holt sent; 1 new to Oke Farrow sent", states: "2 waiting"},
	{name: "the owner alone", rules: rule("mine", `became("commented")`, ", to: [owner]"), happens: func(s *scene) {
		s.mail()
		s.happen("tideAt")
		s.assign(1, "Oke Farrow")
		s.comment("look at the tide table")
	}, want: "1 commented to Oke Farrow sent"},
	{name: "nobody has it", rules: rule("mine", `became("new")`, ", to: [owner]"), happens: func(s *scene) { s.mail(); s.happen("tideAt") }, want: "1 new to owner not sent (nobody to tell)"},
	{name: "owner and watcher are one", rules: rule("mine", `became("fixed")`, ", to: [owner, watchers]"), happens: func(s *scene) {
		s.mail()
		s.happen("tideAt")
		s.assign(1, "Oke Farrow")
		if _, err := s.DB.ExecContext(s.T.Context(), "INSERT IGNORE INTO watcher (issue, person) VALUES (?,?)", s.Issue(1).ID, s.oke); err != nil {
			s.T.Fatal(err)
		}
		s.fix(1)
	}, want: "1 fixed to Oke Farrow sent", states: "1 waiting"},
	{name: "in the console alone", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.mail()
		s.wish(s.maren, "new", accounts.Console)
		s.wish(s.oke, "new", accounts.Console)
		s.happen("tideAt")
	}, want: "1 new to Maren Holt sent; 1 new to Oke Farrow sent", states: "-"},
	{name: "rules of one's own without a mail server", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.happen("tideAt")
		if n := s.One("SELECT COUNT(*) FROM notice WHERE kind='new'"); n != 2 {
			s.T.Errorf("%d notices in the console, want 2", n)
		}
	}, want: "1 new to Maren Holt sent; 1 new to Oke Farrow sent", states: "-"},
	{name: "the console tells nobody twice", rules: rule("all", `became("fixed")`, ", to: [owner]"), happens: func(s *scene) {
		s.mail()
		s.wish(s.oke, "fixed", accounts.Console)
		s.happen("tideAt")
		s.assign(1, "Oke Farrow")
		s.later(time.Minute)
		s.fix(1)
		if n := s.One("SELECT COUNT(*) FROM notice WHERE person=? AND at>=?", s.oke, s.Now.UnixMicro()); n != 1 {
			s.T.Errorf("%d notices of the fix, want 1", n)
		}
	}, want: "1 fixed to Oke Farrow sent", states: "-"},
	{name: "once a day", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.mail()
		s.wish(s.maren, "new", accounts.Daily)
		s.wish(s.oke, "new", accounts.Console)
		s.happen("tideAt")
	}, want: "1 new to Oke Farrow sent; 1 new to Maren Holt held (held until 2026-11-24 09:00 UTC: daily digest)", states: "1 held"},
	{name: "once a day at nine in their zone", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.mail()
		zone := "Asia/Tokyo"
		if err := s.Alerting.SetWishes(s.T.Context(), s.maren, &zone, map[string]accounts.Choice{"new": accounts.Daily}); err != nil {
			s.T.Fatal(err)
		}
		s.wish(s.oke, "new", accounts.Console)
		s.happen("tideAt")
	}, want: "1 new to Oke Farrow sent; 1 new to Maren Holt held (held until 2026-11-24 00:00 UTC: daily digest)"},
	{name: "who left hears nothing", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.mail()
		if _, err := s.DB.ExecContext(s.T.Context(), "UPDATE person SET left_at=1 WHERE id=?", s.oke); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
	}, want: "1 new to Maren Holt sent"},
	{name: "who has no role hears nothing", rules: rule("all", `became("new")`, ", to: [members]"), happens: func(s *scene) {
		s.mail()
		if _, err := s.DB.ExecContext(s.T.Context(), "DELETE FROM project_role WHERE person=?", s.oke); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
	}, want: "1 new to Maren Holt sent"},
	{name: "a team", rules: rule("crew", `became("new")`, ", to: [\"team:Harbour Crew\"]"), happens: func(s *scene) {
		s.mail()
		if _, err := s.Accounts.AddTeam(s.T.Context(), "Harbour Crew", []string{"Oke Farrow"}); err != nil {
			s.T.Fatal(err)
		}
		s.happen("tideAt")
	}, want: "1 new to Oke Farrow sent"},
}

// keys are situations about messages that are one, or two.
var keys = []situation{
	{name: "two rules with one trigger share a message", rules: rule("a", `became("new")`, "") + rule("b", `became("new") && environment == "production"`, ""), happens: func(s *scene) { s.happen("tideAt") },
		want: "1 new to hook sent; 1 new to hook sent", states: "1 sent"},
	{name: "new and a threshold are two", rules: rule("a", `became("new")`, "") + rule("b", "true", ", users: 1, within: 1h, to: [hook]"), happens: func(s *scene) { s.happen("tideAt") },
		want: "1 new to hook sent; 1 threshold to hook sent", states: "2 sent"},
	{name: "two destinations", rules: rule("a", `became("new")`, ", to: [hook, second]"), happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to hook sent; 1 new to second sent", states: "2 sent"},
	{name: "a destination that stands twice", rules: rule("a", `became("new")`, ", to: [hook, hook]"), happens: func(s *scene) { s.happen("tideAt") }, want: "1 new to hook sent", states: "1 sent"},
	{name: "a thousand issues at once", rules: newRule, happens: func(s *scene) {
		var list []testbed.Event
		for i := range 40 {
			list = append(list, testbed.Event{Function: fmt.Sprint("broken", i), User: "p-1", Release: "4.2.0", At: s.Now})
		}
		s.File(list...)
		s.planQuietly()
		s.later(2 * time.Minute)
		s.plan()
	}, want: "-", states: "11 sent, 30 summarised"},
}

func (s *scene) comment(text string) {
	s.T.Helper()
	if _, err := s.Triage.AddComment(s.T.Context(), s.Issue(1).ID, text, accounts.Actor{Kind: "person", ID: s.maren, Name: "Maren Holt"}, s.maren); err != nil {
		s.T.Fatal(err)
	}
	s.plan()
}

func (s *scene) wish(person int64, kind string, c accounts.Choice) {
	s.T.Helper()
	if err := s.Alerting.SetWishes(s.T.Context(), person, nil, map[string]accounts.Choice{kind: c}); err != nil {
		s.T.Fatal(err)
	}
}

// sessions reports so many sessions that began now.
func (s *scene) sessions(n int) {
	s.T.Helper()
	var list []string
	for i := range n {
		list = append(list, fmt.Sprintf(`{"id":"r-%d","sequence":1,"started":%q,"outcome":"clean","resource":{"service.version":"4.2.0"}}`, i, s.Now.Format(time.RFC3339)))
	}
	s.AddSessions(1, list...)
}

// hit reports an event of a session.
func (s *scene) hit(n int) {
	s.happen("tideAt", func(e *testbed.Event) { e.Session = fmt.Sprint("r-", n) })
}
