package show

import (
	"io"
	"os"
)

// Style is how text looks on a terminal.
type Style struct{ on bool }

func (s Style) put(code, text string) string {
	if !s.on || text == "" {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}

// Bright stands out.
func (s Style) Bright(text string) string { return s.put("1", text) }

// Faint stands back.
func (s Style) Faint(text string) string { return s.put("2", text) }

// Problem marks a problem.
func (s Style) Problem(text string) string { return s.put("1;31", text) }

// StyleOf styles what goes to a terminal and nothing else. NO_COLOR and
// CLICOLOR_FORCE say otherwise.
func StyleOf(out io.Writer) Style {
	if os.Getenv("NO_COLOR") != "" {
		return Style{}
	}
	f, ok := out.(*os.File)
	if ok {
		info, err := f.Stat()
		ok = err == nil && info.Mode()&os.ModeCharDevice != 0
	}
	force := os.Getenv("CLICOLOR_FORCE")
	return Style{ok || force != "" && force != "0"}
}

// IsTerminal says whether w is a terminal.
func IsTerminal(w any) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}
