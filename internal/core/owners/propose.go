package owners

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/text"
)

// Person is a person with an account, or a team.
type Person struct {
	Name  string
	Email string
	Team  bool
	Load  float64 // the impact of the open issues that the person has, added up
}

// Touch is a change of the code that an issue comes from.
type Touch struct {
	Email  string
	Author string
	At     time.Time
	Line   bool // of the blamed line itself, else of lines around it
}

// Alike is an issue like the one in question, and who fixed it last.
type Alike struct {
	Issue    string
	Likeness float64 // 0 to 1
	FixedBy  string  // by name
}

// Facts are what an owner is proposed by.
type Facts struct {
	Path    string // of the origin in the repository, "" where it is not known
	Rule    *Rule  // of CODEOWNERS, for the path
	Touches []Touch
	FixedBy []string // by name: who fixed this issue before, the last first
	Alike   []Alike  // issues like it that somebody fixed
	People  []Person
	Now     time.Time
}

// Proposal is a person who may be the right one, and why.
type Proposal struct {
	Name    string   `json:"name"`
	Score   float64  `json:"score"` // 0 to 100
	Reasons []string `json:"reasons"`
}

// What a score is made of.
const (
	pointsOwner  = 45.0 // CODEOWNERS names the person for the path
	pointsLine   = 35.0 // changed the line last; half of it after a year
	pointsAround = 12.0 // changed lines around it, less the older and the more others did
	pointsFixed  = 25.0 // fixed it before
	pointsAlike  = 20.0 // fixed an issue that is wholly like it
	loadHalf     = 400  // impact carried at which a score is half
	maxLoad      = 0.4  // of a score that load can take
)

// Propose ranks the people who may have an issue, the likeliest first. strangers
// are the names in CODEOWNERS or commits that have no account here.
func Propose(f Facts) (list []Proposal, strangers []string) {
	by := map[string]*Proposal{}
	add := func(p Person, points float64, why string) {
		x := by[p.Name]
		if x == nil {
			x = &Proposal{Name: p.Name}
			by[p.Name] = x
		}
		x.Score += points
		if why != "" && !slices.Contains(x.Reasons, why) {
			x.Reasons = append(x.Reasons, why)
		}
	}
	stranger := func(who string) {
		if who != "" && !slices.Contains(strangers, who) {
			strangers = append(strangers, who)
		}
	}
	if f.Rule != nil {
		for _, o := range f.Rule.Owners {
			if p, ok := find(f.People, o); ok {
				add(p, pointsOwner, fmt.Sprintf("CODEOWNERS, line %d: %s", f.Rule.Line, f.Rule.Pattern))
			} else {
				stranger(o)
			}
		}
	}
	around := map[string]float64{}
	for _, t := range f.Touches {
		p, ok := byEmail(f.People, t.Email)
		if !ok {
			stranger(strings.TrimSpace(t.Author + " <" + t.Email + ">"))
			continue
		}
		age := math.Pow(0.5, max(0, f.Now.Sub(t.At).Hours())/(24*365))
		if t.Line {
			add(p, pointsLine*age, "changed the line last, "+ago(f.Now.Sub(t.At)))
			continue
		}
		around[p.Name] += age
	}
	all := sum(around)
	for _, p := range f.People {
		if n := around[p.Name]; n > 0 {
			add(p, pointsAround*n/max(1, all), "changed lines around it")
		}
	}
	for i, name := range f.FixedBy {
		if p, ok := first(f.People, func(p Person) bool { return p.Name == name }); ok {
			add(p, pointsFixed/float64(i+1), "fixed it before")
		}
	}
	for name, a := range mostAlike(f.Alike) {
		if p, ok := first(f.People, func(p Person) bool { return p.Name == name }); ok {
			add(p, pointsAlike*a.Likeness, fmt.Sprintf("fixed %s, which is %.0f %% like it", a.Issue, 100*a.Likeness))
		}
	}
	for _, p := range f.People {
		x := by[p.Name]
		if x == nil {
			continue
		}
		if p.Load > 0 {
			less := maxLoad * p.Load / (p.Load + loadHalf)
			x.Score *= 1 - less
			if less >= 0.1 {
				x.Reasons = append(x.Reasons, fmt.Sprintf("but carries an impact of %.0f already", p.Load))
			}
		}
		x.Score = math.Round(10*min(100, x.Score)) / 10
		list = append(list, *x)
	}
	slices.SortStableFunc(list, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(b.Score, a.Score), strings.Compare(a.Name, b.Name))
	})
	return list, strangers
}

// mostAlike is for each name the issue most like it that the person was the last
// to fix.
func mostAlike(list []Alike) map[string]Alike {
	out := map[string]Alike{}
	for _, a := range list {
		if a.Likeness > out[a.FixedBy].Likeness {
			out[a.FixedBy] = a
		}
	}
	return out
}

// find is the person that CODEOWNERS names: by address, or by @ and the address
// before its own @, or the name written together. A group's name, behind a
// slash, is a team's.
func find(list []Person, owner string) (Person, bool) {
	if handle, at := strings.CutPrefix(owner, "@"); at {
		if _, team, grouped := strings.Cut(handle, "/"); grouped {
			return first(list, func(p Person) bool { return p.Team && text.Handle(team, p.Name, "") })
		}
		return first(list, func(p Person) bool { return text.Handle(handle, p.Name, p.Email) })
	}
	return byEmail(list, owner)
}

func byEmail(list []Person, email string) (Person, bool) {
	return first(list, func(p Person) bool { return email != "" && strings.EqualFold(p.Email, email) })
}

func first(list []Person, fits func(Person) bool) (Person, bool) {
	i := slices.IndexFunc(list, fits)
	if i < 0 {
		return Person{}, false
	}
	return list[i], true
}

func sum(m map[string]float64) (n float64) {
	for _, v := range m {
		n += v
	}
	return n
}

func ago(d time.Duration) string {
	days := int(d.Hours() / 24)
	switch {
	case days < 1:
		return "today"
	case days == 1:
		return "yesterday"
	case days < 60:
		return fmt.Sprintf("%d days ago", days)
	}
	return fmt.Sprintf("%d months ago", days/30)
}
