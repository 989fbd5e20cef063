package tickets_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/testbed"
)

// Both sides change at random, the tracker fails, answers are lost, and webhooks are lost,
// repeated and late. In the end both sides are equal, and nothing was an echo.
// FIRETHORN_WALK sets the number of steps.
func TestTickets_ARandomWalkEndsEqual(t *testing.T) {
	steps := 150
	if n, err := strconv.Atoi(os.Getenv("FIRETHORN_WALK")); err == nil {
		steps = n
	}
	s := open(t)
	rng := rand.New(rand.NewPCG(38, 1))
	const issues = 4
	for i := range issues {
		s.File(testbed.Event{Function: fmt.Sprintf("walk%c", 'A'+i), User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
		s.make(int64(i) + 2)
	}
	closed := func(n int64) bool { st := s.Issue(n).State; return st == issue.Fixed || st == issue.Dismissed }
	here, there := 0, 0
	s.board.lose = func(string) bool { return rng.IntN(20) == 0 }
	s.board.fail = func(string) int { return map[bool]int{true: 503}[rng.IntN(20) == 0] }
	for range steps {
		s.Now = s.Now.Add(time.Duration(1+rng.IntN(1800)) * time.Second)
		n := int64(rng.IntN(issues)) + 2
		switch rng.IntN(6) {
		case 0:
			here++
			if closed(n) {
				s.Act(n, issue.Action{Verb: issue.Reopen})
			} else {
				s.fix(n)
			}
		case 1:
			there++
			s.board.set(int(n)-1, []string{"todo", "doing", "done", "rejected"}[rng.IntN(4)])
		case 2: // a webhook
			if _, err := s.DB.ExecContext(t.Context(), "UPDATE ticket SET read_due=0 WHERE ticket_key=?", fmt.Sprint(n-1)); err != nil {
				t.Fatal(err)
			}
		default:
			s.step()
		}
	}
	s.board.lose, s.board.fail = nil, nil
	for range 30 {
		s.hour()
	}
	writes := len(s.board.writes)
	for n := int64(2); n < issues+2; n++ {
		if want := map[bool]string{true: "done rejected", false: "todo doing"}[closed(n)]; !strings.Contains(want, s.board.state(int(n)-1)) {
			t.Errorf("issue %d is %s, its ticket %s", n, s.Issue(n).State, s.board.state(int(n)-1))
		}
		for _, c := range s.comments(n) {
			t.Errorf("an echo: %q", c)
		}
	}
	for range 5 {
		s.hour()
	}
	if len(s.board.writes) != writes {
		t.Errorf("both sides agree, and the board is still written to: %v", s.board.writes[writes:])
	}
	turned := s.One("SELECT COUNT(*) FROM history WHERE actor_kind='tracker' AND kind IN ('fix','reopen')")
	if turned > int64(there) {
		t.Errorf("the issues followed the tracker %d times, of %d changes there", turned, there)
	}
	if s.board.moved > here {
		t.Errorf("the tickets followed the issues %d times, of %d changes here", s.board.moved, here)
	}
	t.Logf("%d steps: %d changes here, %d there; %d followed here, %d there", steps, here, there, turned, s.board.moved)
}
