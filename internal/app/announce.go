package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/records"
	"firethorn/internal/store/accounts"
)

// AdminTokenFile is the file in the data directory that holds the admin token.
const AdminTokenFile = "admin-token"

// ensureAdmin makes the first person and the admin token; first says that
// this start made them.
func ensureAdmin(ctx context.Context, store *records.Records, dir string) (first bool, err error) {
	people, err := store.Accounts.People(ctx, accounts.EverybodySees)
	if err != nil {
		return false, err
	}
	if len(people) == 0 {
		first = true
		if _, err := store.Accounts.AddPerson(ctx, "Operator", "operator@localhost", true); err != nil {
			return false, err
		}
	}
	return first, ensureToken(ctx, store, dir)
}

// adminTokenID is the file beside the admin token that says which token it is.
// It is no secret: with it the old token is ended when the file with the secret
// was deleted.
const adminTokenID = AdminTokenFile + ".id"

// ensureToken makes the admin token unless there is a good one. Anyone who deletes
// the file and starts the service again has ended the old token.
func ensureToken(ctx context.Context, store *records.Records, dir string) error {
	file, idFile := filepath.Join(dir, AdminTokenFile), filepath.Join(dir, adminTokenID)
	if raw, err := os.ReadFile(file); err == nil {
		g, err := store.Accounts.GrantOfToken(ctx, strings.TrimSpace(string(raw)), "")
		if err == nil {
			return writeID(idFile, g.TokenID)
		}
		if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.Unauthorized {
			return err
		}
	}
	if raw, err := os.ReadFile(idFile); err == nil {
		if id, err := strconv.ParseInt(strings.TrimSpace(string(raw)), 10, 64); err == nil {
			err := store.Accounts.RevokeToken(ctx, id, accounts.TokensOf{All: true})
			if f, ok := errors.AsType[*problem.Error](err); err != nil && (!ok || f.Code != problem.NotFound) {
				return err
			}
		}
	}
	kind, given, _ := access.Scope(string(access.Administer))
	id, token, err := store.Accounts.CreateToken(ctx, accounts.NewToken{Label: "admin on " + hostname(),
		Scope: string(access.Administer), Kind: kind, Given: given, Maker: "the service"})
	if err != nil {
		return err
	}
	return errors.Join(os.WriteFile(file, []byte(token+"\n"), 0o600), writeID(idFile, id))
}

func writeID(file string, id int64) error {
	return os.WriteFile(file, []byte(strconv.FormatInt(id, 10)+"\n"), 0o600)
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
func announce(ctx context.Context, c Config, store *records.Records, public *url.URL, out io.Writer, first bool) error {
	server := strings.TrimSuffix(public.String(), "/")
	err := Remember(server, filepath.Join(c.Data, AdminTokenFile))
	fmt.Fprintf(out, "ready %s\n", server)
	if !first && !c.Terminal {
		return err
	}
	people, perr := store.Accounts.People(ctx, accounts.EverybodySees)
	if perr != nil {
		return errors.Join(err, perr)
	}
	for _, p := range people {
		if p.Operator && p.Here() {
			secret, lerr := store.Accounts.NewSignInLink(ctx, p.ID, 15*time.Minute)
			fmt.Fprintf(out, "console %s/sign-in#%s (opens once, within 15 minutes, as %s)\n", server, secret, p.Name)
			return errors.Join(err, lerr)
		}
	}
	return err
}
