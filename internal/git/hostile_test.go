package git

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
)

// A server that sends git elsewhere is not followed: its target was not checked.
func TestFetch_FollowsNoRedirects(t *testing.T) {
	w, m := newWork(t), mirror(t)
	b := w.commit("a", "x", "1\n")
	address := serve(t, filepath.Join(w.dir, ".git"))
	target, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	away := httptest.NewTLSServer(http.RedirectHandler(address, http.StatusFound))
	away.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, target.Scheme+"://"+target.Host+r.URL.String(), http.StatusFound)
	})
	t.Cleanup(away.Close)
	t.Setenv("GIT_SSL_NO_VERIFY", "1")
	if err := m.Fetch(t.Context(), Hosts{Private: []string{"127.0.0.1"}}, away.URL+"/"+filepath.Base(filepath.Join(w.dir, ".git")), b); err == nil || m.Has(t.Context(), b) {
		t.Errorf("a redirect was followed: %v", err)
	}
}

func TestPublic(t *testing.T) {
	for ip, want := range map[string]bool{
		"93.184.216.34": true, "2606:2800:220:1::1": true, "127.0.0.1": false, "10.0.0.1": false, "192.168.1.1": false, "169.254.169.254": false, "100.64.0.1": false,
		"0.0.0.0": false, "::1": false, "fe80::1": false, "fd00::1": false, "::ffff:127.0.0.1": false, "64:ff9b::7f00:1": false, "224.0.0.1": false, "255.255.255.255": false,
	} {
		if got := public(netip.MustParseAddr(ip)); got != want {
			t.Errorf("%s is public: %v, want %v", ip, got, want)
		}
	}
}

// A bomb is a tree that holds one directory ten times, which holds another ten
// times, and so on: a few hundred bytes that represent billions of files.
func (w *work) bomb(levels, wide int) string {
	w.t.Helper()
	blob := w.gitIn("boom\n", "hash-object", "-w", "--stdin")
	entry := "100644 blob " + blob
	tree := ""
	for range levels {
		var list strings.Builder
		for i := range wide {
			fmt.Fprintf(&list, "%s\tf%d\n", entry, i)
		}
		tree = w.gitIn(list.String(), "mktree")
		entry = "040000 tree " + tree
	}
	return w.git("commit-tree", "-m", "boom", tree)
}

func TestMirror_RefusesTreeBombs(t *testing.T) {
	w, ctx := newWork(t), t.Context()
	good := w.commit("a", "x", "1\n")
	for name, commit := range map[string]string{"it multiplies": w.bomb(10, 10), "it is deep": w.bomb(300, 1)} {
		m := mirror(t)
		raw := w.bundle(commit).Bytes()
		_, err := m.Add(ctx, bytes.NewReader(raw))
		if _, ok := errors.AsType[*TreeError](err); !ok || m.Has(ctx, commit) {
			t.Errorf("%s: a bundle of %d bytes was taken: %v", name, len(raw), err)
		}
		if packs, _ := filepath.Glob(filepath.Join(m.dir, "objects", "pack", "*")); len(packs) != 0 {
			t.Errorf("%s: %v are kept", name, packs)
		}
		if _, err := m.Add(ctx, w.bundle(good)); err != nil {
			t.Errorf("%s: a good bundle afterwards: %v", name, err)
		}
	}
}

// A long header costs no memory.
func TestReadHead_BoundsLines(t *testing.T) {
	for name, line := range map[string]string{"the first": "", "a later": "# v2 git bundle\n"} {
		in := &counting{from: io.MultiReader(strings.NewReader(line), endless('x'))}
		if _, err := ReadHead(bufio.NewReader(in)); !errors.Is(err, ErrNoBundle) || in.n > 16<<10 {
			t.Errorf("%s line without an end: %v after %d bytes", name, err, in.n)
		}
	}
	many := "# v2 git bundle\n" + strings.Repeat("1", 40) + " refs/heads/x\n\nPACK\x00\x00\x00\x02\xff\xff\xff\xff"
	if _, err := mirror(t).Add(t.Context(), strings.NewReader(many)); !errors.Is(err, ErrNoBundle) || !strings.Contains(err.Error(), "4294967295 objects") {
		t.Errorf("too many objects: %v", err)
	}
}

type endless byte

func (e endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte(e)
	}
	return len(p), nil
}

type counting struct {
	from io.Reader
	n    int
}

func (c *counting) Read(p []byte) (int, error) {
	n, err := c.from.Read(p)
	c.n += n
	return n, err
}

// Commands on a mirror run within limits of the system.
func TestMirror_LimitsItsCommands(t *testing.T) {
	m := mirror(t)
	m.config = append(m.config, "-c", "alias.limits=!sh -c 'ulimit -t; ulimit -d'")
	out, err := m.output(t.Context(), "limits")
	if err != nil || out != fmt.Sprintf("%d\n%d\n", cpuSeconds, memoryKiB) {
		t.Errorf("the limits are %q, %v", out, err)
	}
}

func TestMirror_RefusesBrokenBundles(t *testing.T) {
	w, ctx := newWork(t), t.Context()
	a := w.commit("a", "x", "1\n")
	b := w.commit("b", "x", "2\n")
	whole := w.bundle(b).Bytes()
	m := mirror(t)
	var missing *MissingError
	if _, err := m.Add(ctx, w.bundle(b, a)); !errors.As(err, &missing) || missing.Commit != a {
		t.Errorf("it builds on what is not there: %v", err)
	}
	changed := bytes.Clone(whole)
	changed[len(changed)-30] ^= 0x40
	head := strings.Index(string(whole), "\n\n")
	for name, raw := range map[string][]byte{
		"empty": nil, "no bundle": []byte("hello\n"), "cut off": whole[:len(whole)-10], "changed": changed, "without its pack": whole[:head+2],
		"another tip":       bytes.Replace(bytes.Clone(whole), []byte(b), []byte(strings.Repeat("1", 40)), 1),
		"two tips":          bytes.Replace(bytes.Clone(whole), []byte("\n"+b), []byte("\n"+a+" refs/heads/x\n"+b), 1),
		"a filter":          append([]byte("# v3 git bundle\n@filter=blob:none\n"), whole[len("# v2 git bundle\n"):]...),
		"an option as tip":  []byte("# v2 git bundle\n--upload-pack=x refs/heads/x\n\n"),
		"a header for ever": append([]byte("# v2 git bundle\n"), bytes.Repeat([]byte("-"+a+" x\n"), maxHeader+1)...),
	} {
		if _, err := m.Add(ctx, bytes.NewReader(raw)); err == nil {
			t.Errorf("%s: it was taken", name)
		}
		if m.Has(ctx, strings.Repeat("1", 40)) {
			t.Errorf("%s: a commit that is not there is there", name)
		}
	}
	if h, err := m.Add(ctx, bytes.NewReader(whole)); err != nil || h.Tip != b {
		t.Errorf("the whole one afterwards: %v", err)
	}
}

// Whatever a header says, what is read of it are hashes.
func FuzzReadHead(f *testing.F) {
	tip := strings.Repeat("1", 40)
	for _, head := range []string{"# v2 git bundle\n" + tip + " refs/heads/x\n\n", "# v3 git bundle\n@object-format=sha256\n-" + tip + " x\n" + tip + " y\n\n", "# v2 git bundle\n-\n", "# v2 git bundle\n--upload-pack=x y\n\n", "# v2 git bundle", "\n"} {
		f.Add([]byte(head))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		h, err := ReadHead(bufio.NewReader(bytes.NewReader(raw)))
		if err != nil {
			return
		}
		if err := needHashes(append(h.Needs, h.Tip)...); err != nil || len(h.Needs) > maxHeader || h.Format != "sha1" && h.Format != "sha256" {
			t.Fatalf("%q gives %+v, %v", raw, h, err)
		}
	})
}
