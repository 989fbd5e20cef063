package show

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"
	"unicode/utf8"

	"golang.org/x/term"
)

const (
	gap       = 2  // columns between two cells
	leastCell = 16 // columns that a cell keeps when a table is made narrower
	narrow    = 60 // columns of a terminal below which rows become blocks
)

// Table writes columns; each row is one call with its cells. A first row in capitals
// is the heading. What goes elsewhere than to a terminal is whole. On a terminal that
// is too narrow cells are cut; where that is not enough, columns are left out from the
// right; and on a very narrow one each row becomes a block of lines.
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
	var hidden []string
	if width > 0 && heading(rows) {
		if width < narrow && !fit(rows, width) {
			blocks(out, rows)
			return
		}
		for len(rows[0]) > 1 && !fit(rows, width) {
			last := len(rows[0]) - 1
			hidden = append([]string{strings.ToLower(strings.TrimSpace(rows[0][last]))}, hidden...)
			for i, row := range rows {
				rows[i] = row[:min(last, len(row))]
			}
		}
	}
	w := tabwriter.NewWriter(out, 0, 0, gap, ' ', 0)
	for _, row := range rows {
		fmt.Fprintln(w, strings.Join(row, "\t"))
	}
	w.Flush()
	if len(hidden) > 0 {
		fmt.Fprintf(out, "(a wider terminal shows more: %s)\n", strings.Join(hidden, ", "))
	}
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
// width. It says whether that is possible; figures and headings are not cut, and
// nothing is where it is not.
func fit(rows [][]string, width int) bool {
	var widths, least []int
	for r, row := range rows {
		for i, c := range row {
			if i == len(widths) {
				widths, least = append(widths, 0), append(least, leastCell)
			}
			n := utf8.RuneCountInString(c)
			widths[i] = max(widths[i], n)
			if isFigure(c) || r == 0 && heading(rows) {
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
			return false
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

// isFigure says whether a cell is a number, or nothing.
func isFigure(c string) bool { return strings.Trim(c, " 0123456789.,%kM-") == "" }

// blocks writes a row as its first cell that is no figure and, below it, a line a cell
// with its heading.
func blocks(out io.Writer, rows [][]string) {
	name := 0
	for _, h := range rows[0] {
		name = max(name, utf8.RuneCountInString(strings.TrimSpace(h)))
	}
	for _, row := range rows[1:] {
		title := max(0, slices.IndexFunc(row, func(c string) bool { return !isFigure(c) }))
		fmt.Fprintln(out, row[title])
		for i, c := range row {
			if c = strings.TrimSpace(c); i != title && c != "" && c != "-" && i < len(rows[0]) {
				fmt.Fprintf(out, "  %-*s  %s\n", name, strings.ToLower(strings.TrimSpace(rows[0][i])), c)
			}
		}
	}
}
