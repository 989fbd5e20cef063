package rules

import "testing"

func TestTrial(t *testing.T) {
	set := read(t, `
intake:
  - {name: no tides, when: 'message.contains("tide")', do: drop}
  - {name: fails, when: 'exceptions[9].type == "x"', do: drop}
  - {name: never, when: 'message == "never"', do: keep}
scrub:
  - {name: passes, match: 'MSF-\d{6}'}
`)
	trial := NewTrial(set)
	for _, e := range []struct{ raw, issue string }{
		{`{"message":"tide a"}`, "quayside/1"}, {`{"message":"tide b"}`, "quayside/1"}, {`{"message":"tide c"}`, "quayside/2"},
		{`{"message":"pass MSF-123456 and MSF-654321"}`, "quayside/3"}, {`{"message":"well"}`, "quayside/4"},
	} {
		trial.Try(facts(t, e.raw), TrialExample{Event: "e", Issue: e.issue, Text: "w"}, nil, []byte(e.raw))
	}
	if trial.Events != 5 || trial.Kept != 2 {
		t.Errorf("%d events, %d kept", trial.Events, trial.Kept)
	}
	if r := trial.Intake[0]; r.Rule != "no tides" || r.Do != "drop" || r.Events != 3 || r.Issues != 2 || len(r.Examples) != 2 {
		t.Errorf("no tides: %+v", r)
	}
	if r := trial.Intake[1]; r.Failed != 2 || r.Events != 0 || r.Why == "" {
		t.Errorf("fails: %+v", r)
	}
	if r := trial.Intake[2]; r.Rule != "never" || r.Events != 0 {
		t.Errorf("never: %+v", r)
	}
	r := trial.Scrub[0]
	if r.Events != 1 || r.Examples[0] != (TrialExample{"e", "quayside/3", "w", "message", "pass MSF-123456 and MSF-654321", "pass [scrubbed] and MSF-654321"}) {
		t.Errorf("passes: %+v", r)
	}
}
