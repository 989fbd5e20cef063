package releases_test

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"firethorn/internal/store/releases"
	"firethorn/internal/testbed"
)

// A bundle is kept whole or not at all.
func TestAddBundle_AllOrNothing(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	body := bytes.NewReader(bytes.Repeat([]byte("x"), 3*releases.BundlePart))
	broken := &breaking{Reader: body, after: 2*releases.BundlePart + 7}
	tip := strings.Repeat("1", 40)
	if err := b.Releases.AddBundle(t.Context(), b.Project.ID, releases.Bundle{Tip: tip, Format: "sha1", Bytes: 3 * releases.BundlePart}, broken, testbed.Maren); err == nil {
		t.Fatal("a bundle that broke off was kept")
	}
	if n := b.One("SELECT (SELECT COUNT(*) FROM bundle)+(SELECT COUNT(*) FROM bundle_part)"); n != 0 {
		t.Errorf("%d rows are left of it", n)
	}
	if err := b.Releases.AddBundle(t.Context(), b.Project.ID, releases.Bundle{Tip: tip, Format: "sha1", Bytes: 3 * releases.BundlePart}, body, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT SUM(LENGTH(body)) FROM bundle_part"); n != 3*releases.BundlePart {
		t.Errorf("%d bytes are kept", n)
	}
}

// breaking reads so many bytes and then fails.
type breaking struct {
	*bytes.Reader
	after int
}

func (b *breaking) Read(p []byte) (int, error) {
	if b.after <= 0 {
		return 0, errors.New("the disk is gone")
	}
	n, err := b.Reader.Read(p[:min(len(p), b.after)])
	b.after -= n
	return n, err
}
