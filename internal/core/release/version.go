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
	// The name before it, without scope and in small letters: "desk" of @harbour/desk@2.3.4; ""
	// if there is none.
	Package string
	Scope   string // of the package: "@harbour", "" where there is none
	Scheme  Scheme
	Numbers []uint64
	Pre     string // of a pre-release: rc.1
	Build   string // what stands behind "+", or in brackets as mobile applications write it: 5.0.2 (877)
}

var (
	// The product's own name stands before many versions: quayside@4.2.0,
	// @harbour/desk@2.3.4, crates/desk/v1.2.0, harbour-desk-2.3.4.
	packaged = regexp.MustCompile(`^((?:@[\w.~-]+/)?[A-Za-z][\w.~]*(?:[/-][A-Za-z][\w.~]*)*)[@/_-][vV]?(\d.*)$`)
	plain    = regexp.MustCompile(`^[vV]?(\d.*)$`)
	inside   = regexp.MustCompile(`^(.*\d)\s*\(\s*(?:[Bb]uild\s+)?(\d+(?:\.\d+)*)\s*\)$|^(.*\d)\s+(?:[Bb]uild\s+)(\d+(?:\.\d+)*)$`)
	dotted   = regexp.MustCompile(`^(\d+(?:\.\d+){0,3})(?:-([0-9A-Za-z.-]+))?(?:\+([0-9A-Za-z.-]+))?$`)
	undashed = regexp.MustCompile(`(?i)^(\d+(?:\.\d+){0,3})\.?(alpha|beta|preview|pre|rc|dev|snapshot|a|b|c|m)\.?(\d*)(?:\+([0-9A-Za-z.-]+))?$`) // 3.0.0rc5
	dated    = regexp.MustCompile(`^((?:19|20)\d\d)[.-](0?[1-9]|1[0-2])(?:[.-](0?[1-9]|[12]\d|3[01]))?(?:[.-](\d{1,18}))?(?:[-+]([0-9A-Za-z.-]+))?$`)
	compact  = regexp.MustCompile(`^((?:19|20)\d\d)(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])(?:[.-](\d{1,18}))?$`)
	builds   = regexp.MustCompile(`(?i)^\w*build`) // build-1523
	hashLike = regexp.MustCompile(`^[0-9a-fA-F]{7,64}$`)
)

// kinds are words before a version that name no package.
var kinds = map[string]bool{
	"release": true, "releases": true, "rel": true, "version": true, "versions": true, "ver": true, "v": true,
	"build": true, "builds": true, "tag": true, "tags": true,
	"prod": true, "production": true, "hotfix": true, "stable": true,
}

// Parse takes a version apart; what is none has no scheme.
func Parse(text string) Version {
	text = strings.TrimSpace(text)
	if hashLike.MatchString(text) && strings.ContainsAny(text, "abcdefABCDEF") {
		return Version{} // a commit
	}
	build := ""
	if m := inside.FindStringSubmatch(text); m != nil {
		text, build = m[1]+m[3], m[2]+m[4]
	}
	name, rest := "", ""
	if m := plain.FindStringSubmatch(text); m != nil {
		rest = m[1]
	} else if m := packaged.FindStringSubmatch(text); m != nil {
		name, rest = m[1], m[2]
	} else {
		return Version{}
	}
	v := parseNumbers(rest, rest == text, builds.MatchString(text))
	if build != "" && v.Build == "" {
		v.Build = build
	}
	if v.Scheme != NoScheme {
		v.Package, v.Scope = packageOf(name)
	}
	return v
}

// packageOf takes the name before a version apart.
func packageOf(name string) (base, scope string) {
	name = strings.ToLower(name)
	if strings.HasPrefix(name, "@") {
		scope, name, _ = strings.Cut(name, "/")
	}
	var parts []string
	for _, p := range strings.FieldsFunc(name, func(r rune) bool { return r == '/' }) {
		if !kinds[p] {
			parts = append(parts, p)
		}
	}
	return strings.Join(parts, "/"), scope
}

// parseNumbers reads the text after name and "v": alone says that there is
// nothing before it, numbered that it is called a build.
func parseNumbers(rest string, alone, numbered bool) Version {
	if d := compact.FindStringSubmatch(rest); d != nil {
		return Version{Scheme: Calendar, Numbers: numbers(d[1:5])}
	}
	if d := dated.FindStringSubmatch(rest); d != nil {
		return Version{Scheme: Calendar, Numbers: numbers(d[1:5]), Build: d[5]}
	}
	d := dotted.FindStringSubmatch(rest)
	if u := undashed.FindStringSubmatch(rest); d == nil && u != nil {
		d = []string{rest, u[1], strings.TrimSuffix(strings.ToLower(u[2])+"."+u[3], "."), u[4]}
	}
	if d == nil {
		return Version{}
	}
	v := Version{Scheme: Semantic, Numbers: numbers(strings.Split(d[1], ".")), Pre: d[2], Build: d[3]}
	switch {
	case len(v.Numbers) == 4:
		v.Scheme = FourPart
	case len(v.Numbers) == 1 && v.Pre == "" && (alone && v.Build == "" || numbered):
		v.Scheme = Numeric
	}
	if slices.Contains(v.Numbers, tooLarge) {
		return Version{}
	}
	return v
}

// tooLarge stands for a number that is too large to be one.
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

// OtherPackage says whether two versions name different packages, between which
// there is no order. One without a package's name can be of any.
func OtherPackage(a, b Version) bool {
	if a.Package == "" || b.Package == "" {
		return false
	}
	return a.Package != b.Package || a.Scope != "" && b.Scope != "" && a.Scope != b.Scope
}

// Comparable says whether two versions are of one package, and of schemes that
// have an order.
func Comparable(a, b Version) bool {
	if a.Scheme == NoScheme || b.Scheme == NoScheme || OtherPackage(a, b) {
		return false
	}
	points := func(s Scheme) bool { return s == Semantic || s == FourPart }
	return a.Scheme == b.Scheme || points(a.Scheme) && points(b.Scheme)
}

// CompareVersions orders two versions that are comparable: by their numbers,
// absent ones counting as 0; a pre-release before its release, its identifiers
// by https://semver.org section 11; then, unlike there, by build numbers, for
// of two builds of one version the later one is the later release. A version
// without a build is equal to each of its builds.
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

// placeVersions is CompareVersions for a list, in which a version without a build
// comes before its builds: being equal to all of them is no order.
func placeVersions(a, b Version) int {
	rank := func(build string) int {
		switch {
		case build == "":
			return 0
		case numbered.MatchString(build):
			return 1
		}
		return 2
	}
	return cmp.Or(CompareVersions(a, b), cmp.Compare(rank(a.Build), rank(b.Build)), cmp.Compare(a.Build, b.Build))
}

var numbered = regexp.MustCompile(`^\d+(?:\.\d+)*$`)

func at(list []uint64, i int) uint64 {
	if i < len(list) {
		return list[i]
	}
	return 0
}

// compareIdentifiers orders the identifiers after a version as semantic versions
// do their pre-releases (section 11.4): none comes after any.
func compareIdentifiers(a, b string) int {
	return semver.New(0, 0, 0, a, "").Compare(semver.New(0, 0, 0, b, ""))
}
