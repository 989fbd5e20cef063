// Package git reads repositories through git's own commands: the bare mirrors of the service, and the
// working repository of a build.
//
// The contents of a repository are foreign: git runs without hooks,
// without configuration of the machine, with bounds on time, and arguments that
// come from outside stand behind "--" or are hashes.
//
// Reading order: run.go (how git is run), log.go (commits), trace.go (what
// changed a line), mirror.go (what the service holds), bundle.go (what a build
// sends), fetch.go (what an operator allows).
package git

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"
)

// Repo is a repository in a directory.
type Repo struct {
	dir    string
	env    []string // beside what every command gets
	config []string // beside safe
	bound  bool     // commands run within the limits of the system: what they read is foreign
}

// Error is git refusing something, in its own words.
type Error struct {
	Doing string // the subcommand
	Says  string // what git printed, one line
	Err   error
}

func (e *Error) Error() string {
	if e.Says == "" {
		return fmt.Sprintf("git %s: %v", e.Doing, e.Err)
	}
	return fmt.Sprintf("git %s: %s", e.Doing, e.Says)
}

func (e *Error) Unwrap() error { return e.Err }

// safe is the configuration that every command runs with.
var safe = []string{
	"-c", "core.hooksPath=/dev/null", "-c", "core.fsmonitor=false", "-c", "core.quotePath=false", "-c",
	"protocol.file.allow=never", "-c", "protocol.ext.allow=never",
	"-c", "submodule.recurse=false", "-c", "fetch.recurseSubmodules=false", "-c", "safe.directory=*", "-c", "gc.auto=0",
	"-c", "maintenance.auto=false",
	"-c", "diff.external=", "-c", "log.showSignature=false", "-c", "core.attributesFile=/dev/null", "-c",
	"transfer.fsckObjects=true",
	"-c", "http.followRedirects=false", "-c", "core.bigFileThreshold=16m", "-c", "pack.threads=1", "-c",
	"core.packedGitLimit=256m",
}

// Limits of one command on a mirror: its CPU time in seconds, and its own memory
// in KiB, which leaves out files that it maps.
const (
	cpuSeconds = 300
	memoryKiB  = 1 << 20
)

// command is git with the limits of the system where it is to have them. The
// shell sets them, since a process cannot set those of another before it runs.
func (r Repo) command(ctx context.Context, args []string) *exec.Cmd {
	all := append(append(append([]string{"-C", r.dir}, safe...), r.config...), args...)
	if !r.bound {
		return exec.CommandContext(ctx, "git", all...)
	}
	limits := fmt.Sprintf("ulimit -t %d; ulimit -d %d; exec git \"$@\"", cpuSeconds, memoryKiB)
	return exec.CommandContext(ctx, "sh", append([]string{"-c", limits, "sh"}, all...)...)
}

// environment keeps what git needs and nothing that could change what it does.
func environment(more []string) []string {
	env := []string{"GIT_CONFIG_NOSYSTEM=1", "GIT_CONFIG_GLOBAL=/dev/null", "GIT_ATTR_NOSYSTEM=1",
		"GIT_TERMINAL_PROMPT=0", "GIT_ASKPASS=/bin/false", "GIT_ALLOW_PROTOCOL=https:ssh", "GIT_OPTIONAL_LOCKS=0",
		"GIT_NO_REPLACE_OBJECTS=1", "LC_ALL=C", "HOME=/nonexistent"}
	for _, name := range []string{"PATH", "TMPDIR", "SSH_AUTH_SOCK", "GIT_SSL_CAINFO", "GIT_SSH_COMMAND", "https_proxy",
		"HTTPS_PROXY", "no_proxy", "NO_PROXY"} {
		if v, ok := os.LookupEnv(name); ok {
			env = append(env, name+"="+v)
		}
	}
	return append(env, more...)
}

// stream runs a command and hands its output on while it comes.
func (r Repo) stream(ctx context.Context, in io.Reader, read func(io.Reader) error, args ...string) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	c := r.command(ctx, args)
	c.Env, c.Stdin, c.WaitDelay = environment(r.env), in, 5*time.Second
	var said bytes.Buffer
	c.Stderr = &limited{&said, 4 << 10}
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return &Error{args[0], "git is not installed on this machine, or cannot be run", err}
	}
	readErr := read(out)
	if readErr != nil {
		cancel() // it would wait for ever with nobody to read
	}
	err = c.Wait()
	switch {
	case ctx.Err() != nil && readErr == nil:
		return &Error{args[0], "", context.Cause(ctx)}
	case readErr != nil:
		return readErr
	case err != nil:
		return &Error{args[0], oneLine(said.String()), err}
	}
	return nil
}

// output runs a command and gives all it prints, which may be cut at 64 MB.
func (r Repo) output(ctx context.Context, args ...string) (string, error) {
	var b bytes.Buffer
	err := r.stream(ctx, nil, func(out io.Reader) error {
		_, err := io.Copy(&b, io.LimitReader(out, 64<<20))
		if err == nil {
			_, err = io.Copy(io.Discard, out)
		}
		return err
	}, args...)
	return b.String(), err
}

// oneLine is the line of git's words that says most: the last "fatal" or "error".
func oneLine(s string) string {
	best := ""
	for line := range strings.Lines(s) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "fatal:") || strings.HasPrefix(line, "error:") || best == "" && line != "" {
			best = line
		}
	}
	return strings.ToValidUTF8(strings.TrimPrefix(strings.TrimPrefix(best, "fatal: "), "error: "), "�")
}

// limited keeps the first bytes of what is written.
type limited struct {
	b     *bytes.Buffer
	limit int
}

func (l *limited) Write(p []byte) (int, error) {
	if room := l.limit - l.b.Len(); room > 0 {
		l.b.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

var hashForm = regexp.MustCompile(`^(?:[0-9a-f]{40}|[0-9a-f]{64})$`)

// Hash says whether a text is the hash of an object, in full.
func Hash(s string) bool { return hashForm.MatchString(s) }

var errNoHash = errors.New("this is no commit's hash")

func needHashes(list ...string) error {
	for _, h := range list {
		if !Hash(h) {
			return fmt.Errorf("%q: %w", h, errNoHash)
		}
	}
	return nil
}
