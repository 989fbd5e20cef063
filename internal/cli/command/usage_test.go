package command

import (
	"errors"
	"fmt"
	"testing"

	"firethorn/internal/core/fault"
)

// Scripts go by the exit code: 0 done, 1 the answer is no, 2 wrong use, 3 could not
// reach or was refused.
func TestCodeOf(t *testing.T) {
	for code, want := range map[fault.Code]int{fault.AnswerIsNo: ExitNo, fault.MapBroken: ExitNo, fault.NotFound: ExitNo, fault.Conflict: ExitNo, fault.Stale: ExitNo,
		fault.BadInput: ExitNo, fault.WrongUse: ExitUse, fault.NoServer: ExitRefused, fault.Unauthorized: ExitRefused, fault.Forbidden: ExitRefused, fault.Unavailable: ExitRefused, fault.TooMany: ExitRefused} {
		if got := CodeOf(fmt.Errorf("within: %w", fault.New(code, "why"))); got != want {
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
