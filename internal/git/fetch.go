package git

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"slices"
)

// CheckAddress says what is wrong with the address of a repository that the
// service is to fetch: only https and ssh, only hosts that an operator allows.
func CheckAddress(address string, hosts []string) error {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "ssh" {
		return fmt.Errorf("%q is no address of a repository: write https://HOST/PATH or ssh://USER@HOST/PATH", address)
	}
	if u.User != nil {
		if _, secret := u.User.Password(); secret {
			return fmt.Errorf("the address holds a password, which would stand where many can read it; give git its credentials another way")
		}
	}
	if !slices.Contains(hosts, u.Hostname()) {
		return fmt.Errorf("the service may not fetch from %s; its operator allows hosts with serve --fetch-from HOST", u.Hostname())
	}
	return nil
}

// Fetch gets a commit, or all branches where a server does not give single
// commits, from a repository that CheckAddress allows.
func (m Mirror) Fetch(ctx context.Context, address, commit string) error {
	if err := needHashes(commit); err != nil {
		return err
	}
	fetch := func(refs string, more ...string) error {
		args := append([]string{"fetch", "--quiet", "--no-tags", "--force", "--no-write-fetch-head"}, more...)
		_, err := m.output(ctx, append(args, "--", address, refs)...)
		return err
	}
	if fetch(commit+":refs/fetched/one") == nil {
		return nil
	}
	if err := fetch("+refs/heads/*:refs/fetched/heads/*", "--prune"); err != nil {
		return err
	}
	if !m.Has(ctx, commit) {
		return fmt.Errorf("%s has no commit %s on any branch", address, commit)
	}
	return nil
}

// Pack writes a commit as a bundle, without what known commits hold.
func (m Mirror) Pack(ctx context.Context, commit string, known []string, w io.Writer) error {
	if err := needHashes(append([]string{commit}, known...)...); err != nil {
		return err
	}
	args := []string{"bundle", "create", "--quiet", "-", bundleRef}
	for _, k := range known {
		args = append(args, "^"+k)
	}
	if _, err := m.output(ctx, "update-ref", bundleRef, commit); err != nil {
		return err
	}
	return m.stream(ctx, nil, func(out io.Reader) error {
		_, err := io.Copy(w, out)
		return err
	}, args...)
}
