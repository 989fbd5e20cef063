package pipeline

import (
	"context"
	"fmt"
	"io"
	"time"
)

// SymbolPage is how many bytes of compiled symbols the store keeps in one row:
// what fits on one page of the database beside the row itself.
const SymbolPage = 16_000

// pageTimeout is how long a page is waited for.
const pageTimeout = 20 * time.Second

// pages reads compiled symbols from the store: only the pages that are asked
// for. What is asked is a few blocks for each look-up, which symbols.File keeps.
type pages struct {
	store symbolStore
	unit  int64
}

// ReadAt implements io.ReaderAt.
func (p *pages) ReadAt(b []byte, off int64) (int, error) {
	if len(b) == 0 {
		return 0, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), pageTimeout)
	defer cancel()
	first := int(off / SymbolPage)
	list, err := p.store.SymbolPages(ctx, p.unit, first, int((off+int64(len(b))-1)/SymbolPage))
	if err != nil {
		return 0, &StoreError{fmt.Errorf("page %d of symbols %d: %w", first, p.unit, err)}
	}
	n, skip := 0, int(off%SymbolPage)
	for _, page := range list {
		if skip > len(page) {
			break
		}
		n += copy(b[n:], page[skip:])
		skip = 0
	}
	if n < len(b) {
		return n, io.ErrUnexpectedEOF
	}
	return n, nil
}
