package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/mariadb"
)

// AdminTokenFile is the file in the data directory that holds the admin token.
const AdminTokenFile = "admin-token"

// ensureAdmin makes the first person and the admin token; first says that
// this start made them.
func ensureAdmin(ctx context.Context, store *mariadb.Store, dir string) (first bool, err error) {
	people, err := store.People(ctx)
	if err != nil {
		return false, err
	}
	if len(people) == 0 {
		first = true
		if _, err := store.AddPerson(ctx, "Operator", "operator@localhost", true); err != nil {
			return false, err
		}
	}
	file := filepath.Join(dir, AdminTokenFile)
	if raw, err := os.ReadFile(file); err == nil {
		if _, err := store.GrantOfToken(ctx, strings.TrimSpace(string(raw))); err == nil {
			return first, nil
		}
	}
	token, err := store.NewToken(ctx, "admin on "+hostname(), mariadb.ScopeAdmin, 0, 0, 0)
	if err != nil {
		return false, err
	}
	return first, os.WriteFile(file, []byte(token+"\n"), 0o600)
}

// ownerID names the process that holds the data directory. It stays the same
// from start to start: the directory's lock makes sure that only one lives.
func ownerID(dir string) (uuid.UUID, error) {
	file := filepath.Join(dir, "owner-id")
	if raw, err := os.ReadFile(file); err == nil {
		if id, err := uuid.Parse(strings.TrimSpace(string(raw))); err == nil {
			return id, nil
		}
	}
	id := uuid.New()
	return id, os.WriteFile(file, []byte(id.String()+"\n"), 0o600)
}

func hostname() string {
	h, err := os.Hostname()
	if err != nil {
		return "this machine"
	}
	return h
}

// announce says that the service answers, how to open the console, and leaves
// a note for the command line on this machine.
func announce(ctx context.Context, c Config, store *mariadb.Store, public *url.URL, out io.Writer, first bool) error {
	server := strings.TrimSuffix(public.String(), "/")
	err := Remember(server, filepath.Join(c.Data, AdminTokenFile))
	fmt.Fprintf(out, "ready %s\n", server)
	if !first && !c.Terminal {
		return err
	}
	people, perr := store.People(ctx)
	if perr != nil {
		return errors.Join(err, perr)
	}
	for _, p := range people {
		if p.Admin && p.Here() {
			secret, lerr := store.NewSignInLink(ctx, p.ID, 15*time.Minute)
			fmt.Fprintf(out, "console %s/sign-in#%s (opens once, within 15 minutes, as %s)\n", server, secret, p.Name)
			return errors.Join(err, lerr)
		}
	}
	return err
}

// Local is a service that was started on this machine, and where its admin
// token lies.
type Local struct {
	Server    string    `json:"server"`
	TokenFile string    `json:"token_file"`
	Started   time.Time `json:"started"`
}

func localsFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, "firethorn", "local.json"), nil
}

// Locals lists the services started on this machine, newest first.
func Locals() []Local {
	file, err := localsFile()
	if err != nil {
		return nil
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil
	}
	var list []Local
	if json.Unmarshal(raw, &list) != nil {
		return nil
	}
	return list
}

// Remember notes a service for the command line of the same user.
func Remember(server, tokenFile string) error {
	file, err := localsFile()
	if err != nil {
		return err
	}
	abs, err := filepath.Abs(tokenFile)
	if err != nil {
		return err
	}
	list := []Local{{server, abs, time.Now().UTC()}}
	for _, l := range Locals() {
		if _, err := os.Stat(l.TokenFile); err == nil && l.Server != server && len(list) < 20 {
			list = append(list, l)
		}
	}
	raw, err := json.MarshalIndent(list, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	half := fmt.Sprintf("%s.%d", file, os.Getpid())
	if err := os.WriteFile(half, raw, 0o600); err != nil {
		return err
	}
	return os.Rename(half, file)
}
