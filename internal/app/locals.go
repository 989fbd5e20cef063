package app

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Local is a service that was started on this machine, and where its admin
// token lies.
type Local struct {
	Server    string    `json:"server"`
	TokenFile string    `json:"token_file"`
	Started   time.Time `json:"started"`
}

// localsDir holds a record for each address, so that services that start at the
// same time do not overwrite each other's.
func localsDir() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "firethorn", "local"), err
}

func localFile(server string) (string, error) {
	dir, err := localsDir()
	sum := sha256.Sum256([]byte(server))
	return filepath.Join(dir, hex.EncodeToString(sum[:8])+".json"), err
}

// Locals lists the services started on this machine by the same user, the one
// started last first. They need not run any more.
func Locals() []Local {
	dir, err := localsDir()
	if err != nil {
		return nil
	}
	files, err := filepath.Glob(filepath.Join(dir, "*.json"))
	if err != nil {
		return nil
	}
	var list []Local
	for _, file := range files {
		var l Local
		raw, err := os.ReadFile(file)
		if err == nil && json.Unmarshal(raw, &l) == nil && l.Server != "" {
			list = append(list, l)
		}
	}
	slices.SortFunc(list, func(a, b Local) int {
		return cmp.Or(b.Started.Compare(a.Started), cmp.Compare(a.Server, b.Server))
	})
	return list
}

// answerTime is how long a service on this machine may take to say that it runs.
const answerTime = 500 * time.Millisecond

// Answers says whether the service runs.
func (l Local) Answers(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, answerTime)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, l.Server+"/healthz", nil)
	if err != nil {
		return false
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	res.Body.Close()
	return res.StatusCode == http.StatusOK
}

// Token reads the admin token.
func (l Local) Token() (string, error) {
	raw, err := os.ReadFile(l.TokenFile)
	return strings.TrimSpace(string(raw)), err
}

// Remember notes a service for the command line of the same user.
func Remember(server, tokenFile string) error {
	abs, err := filepath.Abs(tokenFile)
	if err != nil {
		return err
	}
	file, err := localFile(server)
	if err != nil {
		return err
	}
	raw, err := json.MarshalIndent(Local{server, abs, time.Now().UTC()}, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	half, err := os.CreateTemp(filepath.Dir(file), "half-*")
	if err != nil {
		return err
	}
	_, err = half.Write(raw)
	if err = errors.Join(err, half.Close()); err == nil {
		err = os.Rename(half.Name(), file)
	}
	if err != nil {
		os.Remove(half.Name())
		return err
	}
	for _, l := range Locals() { // records whose data directory is gone
		if _, err := os.Stat(l.TokenFile); errors.Is(err, os.ErrNotExist) {
			if gone, err := localFile(l.Server); err == nil {
				os.Remove(gone)
			}
		}
	}
	return nil
}
