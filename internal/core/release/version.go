package release

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/Masterminds/semver/v3"
)

// Scheme is how a version is written. Versions of one scheme can be ordered.
type Scheme string

// The schemes of versions.
const (
	Semantic Scheme = "semantic"  // 4.2.0, v4.2, 4.2.0-rc.1+17 (https://semver.org, with fewer numbers allowed)
	FourPart Scheme = "four-part" // 10.4.2.1093
	Calendar Scheme = "calendar"  // 2026.11.23, 2026-11-23.2, 20261123
	Numeric  Scheme = "numeric"   // 1523: a build's number
	NoScheme Scheme = ""          // a name, a commit
)

// Version is a version taken apart.
type Version struct {
	Scheme  Scheme
	Numbers []uint64
	Pre     string // of a pre-release: rc.1
	Build   string // what stands behind "+"
}

var (
	// A name before the version is the product's own: quayside@4.2.0, release-4.2.0.
	lead     = regexp.MustCompile(`^(?:[A-Za-z][\w.]*[@/_-])?[vV]?(\d.*)$`)
	dotted   = regexp.MustCompile(`^(\d+(?:\.\d+){0,3})(?:-([0-9A-Za-z.-]+))?(?:\+([0-9A-Za-z.-]+))?$`)
	dated    = regexp.MustCompile(`^((?:19|20)\d\d)[.-](0?[1-9]|1[0-2])(?:[.-](0?[1-9]|[12]\d|3[01]))?(?:[.-](\d{1,18}))?(?:[-+]([0-9A-Za-z.-]+))?$`)
	compact  = regexp.MustCompile(`^((?:19|20)\d\d)(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])(?:[.-](\d{1,18}))?$`)
	builds   = regexp.MustCompile(`(?i)^\w*build`) // build-1523
	hashLike = regexp.MustCompile(`^[0-9a-f]{7,64}$`)
)

// Parse takes a version apart; what is none has no scheme.
func Parse(text string) Version {
	text = strings.TrimSpace(text)
	if hashLike.MatchString(text) && strings.ContainsAny(text, "abcdef") {
		return Version{} // a commit
	}
	m := lead.FindStringSubmatch(text)
	if m == nil {
		return Version{}
	}
	rest := m[1]
	if d := compact.FindStringSubmatch(rest); d != nil {
		return Version{Scheme: Calendar, Numbers: numbers(d[1:5])}
	}
	if d := dated.FindStringSubmatch(rest); d != nil {
		return Version{Scheme: Calendar, Numbers: numbers(d[1:5]), Build: d[5]}
	}
	d := dotted.FindStringSubmatch(rest)
	if d == nil {
		return Version{}
	}
	v := Version{Scheme: Semantic, Numbers: numbers(strings.Split(d[1], ".")), Pre: d[2], Build: d[3]}
	switch alone := v.Pre == "" && v.Build == "" && m[0] == rest; {
	case len(v.Numbers) == 4:
		v.Scheme = FourPart
	case len(v.Numbers) == 1 && (alone || v.Pre == "" && builds.MatchString(m[0])):
		v.Scheme = Numeric
	}
	if slices.Contains(v.Numbers, tooLarge) {
		return Version{}
	}
	return v
}

// tooLarge stands for a number that is none any more.
const tooLarge = 1<<64 - 1

func numbers(list []string) []uint64 {
	var out []uint64
	for _, s := range list {
		if s == "" {
			break
		}
		n, err := strconv.ParseUint(s, 10, 64)
		if err != nil {
			n = tooLarge
		}
		out = append(out, n)
	}
	return out
}

// Comparable says whether versions of both schemes have an order.
func Comparable(a, b Version) bool {
	if a.Scheme == NoScheme || b.Scheme == NoScheme {
		return false
	}
	points := func(s Scheme) bool { return s == Semantic || s == FourPart }
	return a.Scheme == b.Scheme || points(a.Scheme) && points(b.Scheme)
}

// CompareVersions orders two versions that are comparable: by their numbers,
// absent ones counting as 0; a pre-release before its release, its identifiers
// by https://semver.org section 11; then, unlike there, by build numbers, for
// of two builds of one version the later one is the later release.
func CompareVersions(a, b Version) int {
	for i := range max(len(a.Numbers), len(b.Numbers)) {
		if c := cmp.Compare(at(a.Numbers, i), at(b.Numbers, i)); c != 0 {
			return c
		}
	}
	if c := compareIdentifiers(a.Pre, b.Pre); c != 0 {
		return c
	}
	if !numbered.MatchString(a.Build) || !numbered.MatchString(b.Build) {
		return 0 // others than numbers say nothing
	}
	return compareIdentifiers(a.Build, b.Build)
}

var numbered = regexp.MustCompile(`^\d+(?:\.\d+)*$`)

func at(list []uint64, i int) uint64 {
	if i < len(list) {
		return list[i]
	}
	return 0
}

// compareIdentifiers orders what stands behind a version as semantic versions
// do their pre-releases (section 11.4): none comes after any.
func compareIdentifiers(a, b string) int {
	return semver.New(0, 0, 0, a, "").Compare(semver.New(0, 0, 0, b, ""))
}
