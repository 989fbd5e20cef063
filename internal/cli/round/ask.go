package round

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"strings"

	"golang.org/x/term"
)

// asking reads a decision: a key, and what the key asks for.
type asking interface {
	// key reads the next key; rest is what was said behind it, where lines are
	// read. io.EOF: there are no more.
	key() (key, rest string, err error)
	// line asks for a line.
	line(prompt string) (string, error)
}

// asker reads single keys from a terminal, lines from anything else.
func asker(in io.Reader, out io.Writer) asking {
	if f, ok := in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		return &keyboard{f, bufio.NewReader(f), out}
	}
	return &script{bufio.NewReader(in), out}
}

type keyboard struct {
	f   *os.File
	in  *bufio.Reader
	out io.Writer
}

func (k *keyboard) key() (string, string, error) {
	was, err := term.MakeRaw(int(k.f.Fd()))
	if err != nil {
		return "", "", err
	}
	defer term.Restore(int(k.f.Fd()), was)
	r, _, err := k.in.ReadRune()
	if err != nil {
		return "", "", err
	}
	switch r {
	case 3, 4: // Ctrl-C and Ctrl-D end it
		return "q", "", nil
	case 27: // keys that send more than one character mean nothing here
		for k.in.Buffered() > 0 {
			k.in.ReadByte()
		}
		return "", "", nil
	}
	return string(r), "", nil
}

func (k *keyboard) line(prompt string) (string, error) {
	fmt.Fprint(k.out, prompt+" ")
	s, err := k.in.ReadString('\n')
	return strings.TrimSpace(s), err
}

type script struct {
	in  *bufio.Reader
	out io.Writer
}

func (s *script) key() (string, string, error) {
	text, err := s.in.ReadString('\n')
	text = strings.TrimSpace(text)
	if text == "" {
		return "", "", err
	}
	r := []rune(text)
	return string(r[:1]), strings.TrimSpace(string(r[1:])), nil
}

func (s *script) line(prompt string) (string, error) {
	text, err := s.in.ReadString('\n')
	fmt.Fprintf(s.out, "%s %s\n", prompt, strings.TrimSpace(text))
	if text != "" {
		err = nil
	}
	return strings.TrimSpace(text), err
}
