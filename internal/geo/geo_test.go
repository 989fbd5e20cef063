package geo_test

import (
	"errors"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/maxmind/mmdbwriter"
	"github.com/maxmind/mmdbwriter/mmdbtype"

	"firethorn/internal/core/problem"
	"firethorn/internal/geo"
)

// written makes a database of a few networks.
func written(t *testing.T) string {
	t.Helper()
	w, err := mmdbwriter.New(mmdbwriter.Options{DatabaseType: "Country", IncludeReservedNetworks: true})
	if err != nil {
		t.Fatal(err)
	}
	for network, country := range map[string]string{"192.0.2.0/24": "NO", "2001:db8::/32": "IS", "198.51.100.0/25": ""} {
		_, n, err := net.ParseCIDR(network)
		if err != nil {
			t.Fatal(err)
		}
		record := mmdbtype.Map{"country": mmdbtype.Map{"iso_code": mmdbtype.String(country)}}
		if err := w.Insert(n, record); err != nil {
			t.Fatal(err)
		}
	}
	path := filepath.Join(t.TempDir(), "country.mmdb")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.WriteTo(f); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestCountries(t *testing.T) {
	c, err := geo.Open(written(t))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	for address, want := range map[string]string{"192.0.2.7": "NO", "::ffff:192.0.2.7": "NO", "2001:db8:1::/64": "IS", "198.51.100.3": "", "203.0.113.1": "",
		"": "", "quay.example": "", "192.0.2.7:80": ""} {
		if got := c.Of(address); got != want {
			t.Errorf("%q lies in %q, want %q", address, got, want)
		}
	}
}

func TestOpen_NoFileAndNoDatabase(t *testing.T) {
	c, err := geo.Open("")
	if err != nil || c.Of("192.0.2.7") != "" || c.Close() != nil {
		t.Errorf("without a file: %v, %v", c, err)
	}
	path := filepath.Join(t.TempDir(), "no.mmdb")
	if err := os.WriteFile(path, []byte("tides"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, p := range []string{path, path + "x"} {
		_, err := geo.Open(p)
		if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.WrongUse || !strings.Contains(f.Pub, p) {
			t.Errorf("%s: %v", p, err)
		}
	}
}
