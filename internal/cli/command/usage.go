// Package command has what all commands share: calling the service, and reporting errors with exit
// codes.
package command

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/core/problem"
)

// The exit codes.
const (
	ExitDone = iota
	ExitNo
	ExitUse
	ExitRefused
)

// UsageError is a command line that makes no sense.
type UsageError struct{ err error }

func (e *UsageError) Error() string { return e.err.Error() }
func (e *UsageError) Unwrap() error { return e.err }

// Usage is an error of a command line that makes no sense.
func Usage(format string, args ...any) error { return &UsageError{fmt.Errorf(format, args...)} }

// Explain is the text of an error for people: its public part.
func Explain(err error) string {
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Pub != "" {
		switch f.Code {
		case problem.NoDatabase, problem.DataDirBroken, problem.PortTaken:
			if f.Err != nil {
				return f.Pub + " (" + f.Err.Error() + ")"
			}
		}
		return f.Pub
	}
	return err.Error()
}

// CodeOf is the exit code of an error.
func CodeOf(err error) int {
	if _, ok := errors.AsType[*UsageError](err); ok {
		return ExitUse
	}
	if f, ok := errors.AsType[*problem.Error](err); ok {
		switch f.Code {
		case problem.AnswerIsNo, problem.MapBroken:
			return ExitNo
		case problem.WrongUse, problem.BadSearch:
			return ExitUse
		case problem.BadInput, problem.NotFound, problem.Conflict, problem.Stale:
			return ExitNo
		}
		return ExitRefused
	}
	if strings.HasPrefix(err.Error(), "No help topic") {
		return ExitUse
	}
	return ExitNo
}

// Arg is a positional argument that must be there.
func Arg(c *cli.Command, name string) (string, error) {
	if v := c.StringArg(name); v != "" {
		return v, nil
	}
	return "", Usage("%s needs %s; %s --help shows how it is used", c.FullName(), strings.ToUpper(name), c.FullName())
}

// Text declares a positional argument.
func Text(name string) cli.Argument {
	return &cli.StringArg{Name: name, UsageText: strings.ToUpper(name)}
}

// SecretFlag is the value of a flag that holds a secret, or of the file that
// another flag names.
func SecretFlag(c *cli.Command, flag, fileFlag string) (string, error) {
	file := c.String(fileFlag)
	if file == "" {
		return c.String(flag), nil
	}
	if c.String(flag) != "" {
		return "", Usage("--%s and --%s (or their environment variables) are both given; give one of them", flag,
			fileFlag)
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		return "", Usage("--%s %s cannot be read: %v", fileFlag, file, err)
	}
	if text := strings.TrimSpace(string(raw)); text != "" {
		return text, nil
	}
	return "", Usage("--%s %s is empty", fileFlag, file)
}
