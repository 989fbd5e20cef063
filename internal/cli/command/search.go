package command

import (
	"net/url"
	"strconv"

	"github.com/urfave/cli/v3"

	"firethorn/internal/client"
)

// SearchHelp says how searches are written, for the help of commands that take one.
const SearchHelp = "A search is words and terms, all of which must hold:\n" +
	"  berth \"no tide table\"       words of headline, place, message and comments\n" +
	"  os.name:Android plan:gold,silver    an attribute has one of some values\n" +
	"  url.path:/berths/* plan:*   wildcards; the attribute is there\n" +
	"  -os.name:iOS                a term does not hold\n" +
	"  users:>10 cart.count:3..7 release:>=4.2.0 first:<2d    comparisons, ages, dates\n" +
	"  (browser.name:Firefox OR os.name:iOS) owner:me         alternatives\n" +
	"Events are searched in the last 7 days, or in the --window that you name."

// SearchFlags are the flags of a search.
func SearchFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "search", Usage: "the `SEARCH`: words and terms, such as 'os.name:Android -plan:gold'"},
		&cli.StringFlag{Name: "window", Usage: "the time that events are searched in: 14d, 36h, 2026-11-01..2026-11-20 or all (default: 7d)"},
		&cli.StringFlag{Name: "zone", Usage: "the time zone of dates, such as Europe/Oslo (default: UTC)"},
	}
}

// SearchQuery puts the flags of a search into a query.
func SearchQuery(c *cli.Command, q url.Values) url.Values {
	for _, name := range []string{"search", "window", "zone"} {
		if v := c.String(name); v != "" {
			q.Set(name, v)
		}
	}
	return q
}

// OfSearch is a path below the chosen project, or that of an issue, to which the search
// is narrowed; issue "" is none.
func OfSearch(rest, issue string, q url.Values) Path {
	return func(cl *client.Client) (string, error) {
		if issue == "" {
			return cl.ProjectPath(rest + "?" + q.Encode())
		}
		project, number, err := cl.Issue(issue)
		if err != nil {
			return "", err
		}
		q.Set("issue", strconv.FormatInt(number, 10))
		return "/api/projects/" + url.PathEscape(project) + rest + "?" + q.Encode(), nil
	}
}
