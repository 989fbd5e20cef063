package stacktrace

import "testing"

// Functions of the runtime that have no place of their own are printed at their
// caller's; they are told from functions that call each other.
func TestRead_TellsFunctionsOfTheRuntime(t *testing.T) {
	for text, want := range map[string][]bool{
		"DivisionByZeroError: Division by zero in /srv/b.php:2\nStack trace:\n#0 /srv/b.php(2): intdiv()\n#1 /srv/b.php(3): berth()\n#2 {main}": {true, false, false},
		"Refused: no in /srv/b.php:9\nStack trace:\n#0 /srv/b.php(2): check()\n#1 /srv/b.php(3): berth()\n#2 {main}":                            {false, false, false},
		"crew.rb:6:in `fetch': key not found (KeyError)\n\tfrom crew.rb:6:in `find'\n\tfrom crew.rb:9:in `<main>'":                              {true, false, false},
		"crew.rb:6:in `depth': stack level too deep (SystemStackError)\n\tfrom crew.rb:6:in `depth'\n\tfrom crew.rb:6:in `depth'":               {false, false, false},
	} {
		got := Read(text, 10)
		if len(got.Exceptions) != 1 || len(got.Exceptions[0].Frames) != len(want) {
			t.Errorf("%q: %+v", text, got.Exceptions)
			continue
		}
		for i, f := range got.Exceptions[0].Frames {
			if f.Builtin != want[i] {
				t.Errorf("%q: frame %d (%s) is the runtime's: %v", text, i, f.Function, f.Builtin)
			}
		}
	}
}
