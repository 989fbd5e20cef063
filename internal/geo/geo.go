// Package geo looks up the country of an address in a database file of the open MMDB 2.0 format. The
// service does not ship such a file.
package geo

import (
	"fmt"
	"net/netip"

	"github.com/oschwald/maxminddb-golang/v2"

	"firethorn/internal/core/problem"
)

// Countries knows the countries of addresses. Nil knows none. It is safe for concurrent
// use.
type Countries struct{ reader *maxminddb.Reader }

// Open reads a database file; "" is none.
func Open(path string) (*Countries, error) {
	if path == "" {
		return nil, nil
	}
	r, err := maxminddb.Open(path)
	if err != nil {
		return nil, &problem.Error{Code: problem.WrongUse, Err: err,
			Pub: fmt.Sprintf("--geo-database %s cannot be read; it must be an MMDB file with countries", path)}
	}
	return &Countries{r}, nil
}

// Close closes the file.
func (c *Countries) Close() error {
	if c == nil {
		return nil
	}
	return c.reader.Close()
}

// Of is the country (ISO 3166-1, two letters) of an address, or of a network; "" where
// it is not known.
func (c *Countries) Of(address string) string {
	if c == nil {
		return ""
	}
	ip, err := netip.ParseAddr(address)
	if err != nil {
		network, err := netip.ParsePrefix(address)
		if err != nil {
			return ""
		}
		ip = network.Addr()
	}
	var country string
	if err := c.reader.Lookup(ip.Unmap()).DecodePath(&country, "country", "iso_code"); err != nil || len(country) != 2 {
		return ""
	}
	return country
}
