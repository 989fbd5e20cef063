package command

import (
	"errors"
	"fmt"
	"testing"

	"firethorn/internal/core/problem"
)

// Scripts go by the exit code: 0 done, 1 the answer is no, 2 wrong use, 3 could not
// reach or was refused.
func TestCodeOf(t *testing.T) {
	for code, want := range map[problem.Code]int{problem.AnswerIsNo: ExitNo, problem.MapBroken: ExitNo, problem.NotFound: ExitNo, problem.Conflict: ExitNo, problem.Stale: ExitNo,
		problem.BadInput: ExitNo, problem.WrongUse: ExitUse, problem.NoServer: ExitRefused, problem.Unauthorized: ExitRefused, problem.Forbidden: ExitRefused, problem.Unavailable: ExitRefused, problem.TooMany: ExitRefused} {
		if got := CodeOf(fmt.Errorf("within: %w", problem.New(code, "why"))); got != want {
			t.Errorf("%s: %d, want %d", code, got, want)
		}
	}
	if got := CodeOf(fmt.Errorf("within: %w", Usage("--keep %q is no number", "x"))); got != ExitUse {
		t.Errorf("wrong use: %d", got)
	}
	if got := CodeOf(errors.New("else")); got != ExitNo {
		t.Errorf("something else: %d", got)
	}
}
