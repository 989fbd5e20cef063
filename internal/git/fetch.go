package git

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"net"
	"net/netip"
	"net/url"
	"os"
	"slices"
)

// Hosts are those that an operator lets the service fetch from.
type Hosts struct {
	Public  []string // at public addresses alone
	Private []string // also on loopback and in private networks
}

// CheckAddress gives the problem of the address of a repository that the
// service is to fetch: only https and ssh, only hosts that an operator allows.
func (h Hosts) CheckAddress(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "ssh" {
		return fmt.Errorf("%q is no address of a repository: write https://HOST/PATH or ssh://USER@HOST/PATH", address)
	}
	if u.User != nil {
		if _, secret := u.User.Password(); secret {
			return fmt.Errorf("the address contains a password, which many could read; give git its credentials another way")
		}
	}
	if !slices.Contains(h.Public, u.Hostname()) && !slices.Contains(h.Private, u.Hostname()) {
		return fmt.Errorf("the service may not fetch from %s; its operator allows hosts with serve --fetch-from HOST", u.Hostname())
	}
	return nil
}

// pinned resolves the host of an address once, checks the result, and
// gives the settings that make git go there and nowhere else, whatever the name resolves to a
// moment later.
func (h Hosts) pinned(ctx context.Context, address string) (config, env []string, err error) {
	if err := h.CheckAddress(address); err != nil {
		return nil, nil, err
	}
	u, err := url.Parse(address)
	if err != nil {
		return nil, nil, err
	}
	name := u.Hostname()
	list, err := net.DefaultResolver.LookupNetIP(ctx, "ip", name)
	if err != nil || len(list) == 0 {
		return nil, nil, fmt.Errorf("%s has no address: %w", name, err)
	}
	if !slices.Contains(h.Private, name) {
		for _, ip := range list {
			if !public(ip) {
				return nil, nil, fmt.Errorf("%s stands for %s, which is no public address; its operator allows such hosts with serve --fetch-from-private %s", name, ip, name)
			}
		}
	}
	ip := list[0].Unmap()
	if u.Scheme == "ssh" {
		command := cmp.Or(os.Getenv("GIT_SSH_COMMAND"), "ssh")
		return nil, []string{"GIT_SSH_COMMAND=" + command + " -o HostName=" + ip.String() + " -o HostKeyAlias=" + name},
			nil
	}
	at := ip.String()
	if ip.Is6() {
		at = "[" + at + "]"
	}
	return []string{"-c", "http.curloptResolve=" + name + ":" + cmp.Or(u.Port(), "443") + ":" + at}, nil, nil
}

// public says whether an address belongs to the public internet: not to this
// machine, a private network, a link, or a cloud's own services.
func public(ip netip.Addr) bool {
	ip = ip.Unmap()
	return ip.IsGlobalUnicast() && !ip.IsPrivate() && !ip.IsLoopback() && !ip.IsLinkLocalUnicast() &&
		!slices.ContainsFunc(notPublic, func(p netip.Prefix) bool { return p.Contains(ip) })
}

// notPublic are networks that are no private ones by name and still not public:
// shared address space (RFC 6598), benchmarks (RFC 2544), protocol assignments
// (RFC 6890), translation of IPv4 (RFC 6052), 6to4 (RFC 3056), reserved.
var notPublic = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16"),
	netip.MustParsePrefix("2001::/23"), netip.MustParsePrefix("fec0::/10"),
}

// Fetch gets a commit, or all branches where a server does not give single
// commits, from a repository that hosts allow. Redirects are not followed.
func (m Mirror) Fetch(ctx context.Context, hosts Hosts, address, commit string) error {
	if err := needHashes(commit); err != nil {
		return err
	}
	config, env, err := hosts.pinned(ctx, address)
	if err != nil {
		return err
	}
	r := m.Repo
	r.config, r.env = append(slices.Clone(r.config), config...), append(slices.Clone(r.env), env...)
	fetch := func(refs string, more ...string) error {
		args := append([]string{"fetch", "--quiet", "--no-tags", "--force", "--no-write-fetch-head"}, more...)
		_, err := r.output(ctx, append(args, "--", address, refs)...)
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
