package issues

import (
	"testing"

	"firethorn/internal/contract"
)

func TestDiffer_NamesTheFirstDifference(t *testing.T) {
	parts := func(list ...string) (out []contract.Part) {
		for i := 0; i < len(list); i += 2 {
			out = append(out, contract.Part{What: list[i], Value: list[i+1]})
		}
		return out
	}
	full := parts("type", "GateError", "module", "src/gates.ts", "function", "openGate")
	for name, c := range map[string]struct {
		a, b []contract.Part
		want contract.GroupDifference
	}{
		"another function":      {full, parts("type", "GateError", "module", "src/gates.ts", "function", "closeGate"), contract.GroupDifference{What: "function", This: "openGate", Other: "closeGate"}},
		"no type there":         {full, full[1:], contract.GroupDifference{What: "type", This: "GateError"}},
		"no type here":          {full[1:], full, contract.GroupDifference{What: "type", Other: "GateError"}},
		"more here":             {full, full[:2], contract.GroupDifference{What: "function", This: "openGate"}},
		"more there":            {full[:2], full, contract.GroupDifference{What: "function", Other: "openGate"}},
		"the application's own": {parts("application", "tide"), full, contract.GroupDifference{What: "application", This: "tide"}},
	} {
		if got := differ(c.a, c.b); got == nil || *got != c.want {
			t.Errorf("%s: %+v, want %+v", name, got, c.want)
		}
	}
	if got := differ(full, full); got != nil {
		t.Errorf("the same differ in %+v", got)
	}
}
