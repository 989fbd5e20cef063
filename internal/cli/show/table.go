package show

import (
	"fmt"
	"io"
	"os"
	"strings"
	"text/tabwriter"
	"unicode/utf8"

	"golang.org/x/term"
)

const (
	gap       = 2 // columns between two cells
	leastCell = 8 // columns that a cell keeps when a table is made narrower
)

// Table writes columns; each row is one call with its cells. A first row in capitals
// is the heading. On a terminal that is too narrow cells are cut, and where that is
// not enough each row becomes a block of lines. What goes elsewhere is whole.
func Table(out io.Writer, fill func(row func(cells ...any))) { table(out, widthOf(out), fill) }

// table is Table for a terminal of so many columns; 0: for none.
func table(out io.Writer, width int, fill func(row func(cells ...any))) {
	var rows [][]string
	fill(func(cells ...any) {
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = Plain(fmt.Sprint(c))
		}
		rows = append(rows, row)
	})
	if width > 0 && !fit(rows, width) {
		blocks(out, rows)
		return
	}
	w := tabwriter.NewWriter(out, 0, 0, gap, ' ', 0)
	for _, row := range rows {
		fmt.Fprintln(w, strings.Join(row, "\t"))
	}
	w.Flush()
}

// widthOf is how many columns a terminal has; 0 for what is none.
func widthOf(out io.Writer) int {
	f, ok := out.(*os.File)
	if !ok || !IsTerminal(f) {
		return 0
	}
	width, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return width
}

// fit cuts cells, those of the widest columns first, until rows are no wider than
// width. It says whether that is possible; figures and headings are not cut.
func fit(rows [][]string, width int) bool {
	var widths, least []int
	for r, row := range rows {
		for i, c := range row {
			if i == len(widths) {
				widths, least = append(widths, 0), append(least, leastCell)
			}
			n := utf8.RuneCountInString(c)
			widths[i] = max(widths[i], n)
			if strings.Trim(c, " 0123456789.,%kM-") == "" || r == 0 && heading(rows) {
				least[i] = max(least[i], n)
			}
		}
	}
	total := gap * (len(widths) - 1)
	for _, n := range widths {
		total += n
	}
	for total > width {
		widest := -1
		for i, n := range widths {
			if n > least[i] && (widest < 0 || n > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return !heading(rows)
		}
		widths[widest]--
		total--
	}
	for _, row := range rows {
		for i, c := range row {
			row[i] = Cut(c, widths[i])
		}
	}
	return true
}

// heading says whether the first row is one.
func heading(rows [][]string) bool {
	if len(rows) == 0 {
		return false
	}
	text := strings.Join(rows[0], "")
	return text != "" && text == strings.ToUpper(text) && strings.ToLower(text) != text
}

// blocks writes a row as its first cell and, below it, a line a cell with its heading.
func blocks(out io.Writer, rows [][]string) {
	name := 0
	for _, h := range rows[0] {
		name = max(name, utf8.RuneCountInString(strings.TrimSpace(h)))
	}
	for _, row := range rows[1:] {
		for i, c := range row {
			c = strings.TrimSpace(c)
			if i == 0 {
				fmt.Fprintln(out, c)
			} else if c != "" && c != "-" && i < len(rows[0]) {
				fmt.Fprintf(out, "  %-*s  %s\n", name, strings.ToLower(strings.TrimSpace(rows[0][i])), c)
			}
		}
	}
}
