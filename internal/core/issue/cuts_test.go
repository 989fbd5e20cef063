package issue

import "firethorn/internal/core/release"

// How teams cut releases: each on a branch of its own, hotfixes, spellings,
// several packages, builds, commits as names, reverts and picks.
const (
	apart    = "a-b-c-d, b-x, c-y, d-z" // 4.1.0, 4.2.0 and 4.3.0 with a version bump each
	cuts     = "4.1.0@x 4.2.0@y 4.3.0@z"
	hotfixed = "a-b-c-d, b-x, x-h, d-z" // h mends x, and main never gets it
	reverted = "a-b-c-d-e-f, e!c, f!e"  // the fix c, undone in e, which f undoes
	again    = "a-b-c-d-e-f, e!c, f~c"  // undone in e, made again as f
	conflict = "a-b-c-d, b-h-i, i^c"    // c picked to a branch, with other lines
	hashes   = "a-9f1c2ab0aa-85314830-c0ffee11bb"
)

var cutStories = []story{
	{"each release is cut on a branch, and a later one has it", apart, cuts, "", "in 4.2.0", "4.3.0", 2, false, "", CameBack},
	{"each release is cut on a branch, an earlier one", apart, cuts, "", "in 4.2.0", "4.1.0", 2, true, "", SeenOlder},
	{"each release is cut on a branch, without versions", apart, "spring@x summer@y autumn@z", "", "in summer", "autumn", 2, false, "", CameBack},
	{"each release is cut on a branch, without versions, an earlier one", apart, "spring@x summer@y autumn@z", "", "in summer", "spring", 2, true, "", SeenOlder},
	{"each release is cut on a branch, fixed in the next", apart, cuts, "", "next after 4.1.0", "4.3.0", 2, false, "", CameBack},
	{"each release is cut on a branch, by commit alone", apart, cuts, release.Commits, "in 4.2.0", "4.3.0", 2, false, "", SeenApart},
	{"a patch of an old line that came out behind the fix", apart + ", x-p", "4.1.0@x 4.2.0@y 4.1.1@p", "", "in 4.2.0", "4.1.1", 2, false, "", SeenApart},
	{"a hotfix that main never gets", hotfixed, "4.1.0@x 4.1.1@h 4.2.0@z", "", "in 4.1.1", "4.2.0", 2, false, "", CameBack},
	{"a hotfix that main never gets, fixed by its commit", hotfixed, "4.1.0@x 4.1.1@h 4.2.0@z", "", "commit h", "4.2.0", 2, false, "", SeenApart},
	{"a hotfix that is carried forward", hotfixed + ", z-k, k~h", "4.1.0@x 4.1.1@h 4.2.0@k", "", "commit h", "4.2.0", 2, false, "", CameBack},

	{"with a v and without", "", "1.1.9 v1.2.0 1.2.0", "", "in v1.2.0", "1.2.0", 2, false, "", CameBack},
	{"with the package's name and without", "", "1.1.9 1.2.0 quayside@1.2.0", "", "in 1.2.0", "quayside@1.2.0", 2, false, "", CameBack},
	{"an older one, spelled otherwise", "", "v1.1.9 1.2.0", "", "in quayside@1.2.0", "v1.1.9", 2, true, "", SeenOlder},
	{"a version and one of its builds", "", "1.2.0 1.2.0+18", "", "in 1.2.0", "1.2.0+18", 2, false, "", CameBack},
	{"a build and its version", "", "1.2.0 1.2.0+18", "", "in 1.2.0+18", "1.2.0", 2, false, "", CameBack},
	{"an earlier build", "", "1.2.0+17 1.2.0+18", "", "in 1.2.0+18", "1.2.0+17", 2, true, "", SeenOlder},
	{"builds that are hashes, the later one", "", "1.2.0+9f1c2ab 1.2.0+0c1d2e3", "", "in 1.2.0+9f1c2ab", "1.2.0+0c1d2e3", 2, false, "", CameBack},
	{"the next is not the same one spelled otherwise", "", "1.2.0 v1.2.0", "", "next after 1.2.0", "v1.2.0", 2, false, "", SeenOlder},
	{"one version, by announcement", "", "1.2.0 v1.2.0", release.Announcement, "in v1.2.0", "1.2.0", 2, false, "", CameBack},
	{"two spellings of two commits", line, "1.2.0@b v1.2.0@d", "", "in v1.2.0", "1.2.0", 2, true, "", SeenOlder},
	{"release candidates without a dash", "", "3.0.0rc9 3.0.0rc10", "", "in 3.0.0rc10", "3.0.0rc9", 2, true, "", SeenOlder},

	{"a scoped package", "", "@harbour/desk@2.3.4 @harbour/desk@2.3.5", "", "in @harbour/desk@2.3.4", "@harbour/desk@2.3.5", 2, false, "", CameBack},
	{"a scoped package, spelled otherwise", "", "desk-2.3.4 @harbour/desk@2.3.3", "", "in desk-2.3.4", "@harbour/desk@2.3.3", 2, true, "", SeenOlder},
	{"two packages", "", "@harbour/desk@2.3.4 @harbour/crane@3.0.0", "", "in @harbour/desk@2.3.4", "@harbour/crane@3.0.0", 2, false, "", SeenUnknown},
	{"two packages, by announcement", "", "desk@2.3.4 crane@3.0.0", release.Announcement, "in desk@2.3.4", "crane@3.0.0", 2, false, "", SeenUnknown},
	{"two packages of one repository", line, "desk@2.3.4@d crane@1.0.0@e", "", "in desk@2.3.4", "crane@1.0.0", 2, false, "", CameBack},
	{"the next of another package", "", "desk@2.3.4 crane@9.0.0", "", "next after crane@9.0.0", "desk@2.3.4", 2, true, "", SeenOlder},
	{"modules of one repository", "", "tides/v1.4.0 v9.0.0 tides/v1.5.0", "", "in tides/v1.4.0", "tides/v1.5.0", 2, false, "", CameBack},

	{"a build in brackets", "", "5.0.2_(877) 5.0.2_(878)", "", "in 5.0.2_(877)", "5.0.2_(878)", 2, false, "", CameBack},
	{"an earlier build in brackets", "", "5.0.2_(99) 5.0.2_(100)", "", "in 5.0.2_(100)", "5.0.2_(99)", 2, true, "", SeenOlder},
	{"a build in brackets, and its version", "", "5.0.2_(877) 5.0.2", "", "in 5.0.2", "5.0.2_(877)", 2, false, "", CameBack},
	{"a build in words", "", "5.0.2_build_12 5.0.3_build_2", "", "in 5.0.3_build_2", "5.0.2_build_12", 2, true, "", SeenOlder},

	{"an event that names a short commit", hashes, "4.1.0@a 4.2.0@a", "", "in 85314830", "c0ffee1", 2, false, "", CameBack},
	{"an event that names an older commit", hashes, "4.1.0@a", "", "in 85314830", "9f1c2ab0", 2, true, "", SeenOlder},
	{"digits that are a commit", hashes, "4.1.0@a", "", "commit 9f1c2ab0aa", "85314830", 2, false, "", CameBack},
	{"digits that are none", line, "1523 1524", "", "in 1524", "1523", 2, true, "", SeenOlder},
	{"a commit of another repository", hashes, "4.1.0@a", "", "commit 9f1c2ab0aa", "deadbeef01", 2, false, "", SeenUnknown},

	{"two versions of one commit, by version alone", line, "4.2.0@d 4.1.0@d", release.Versions, "in 4.2.0", "4.1.0", 2, false, "", CameBack},
	{"the next is not another name of the same commit", line, "4.1.0@d 4.1.1@d", "", "next after 4.1.0", "4.1.1", 2, true, "", SeenOlder},

	{"the fix was taken back", reverted, "4.1.0@c 4.2.0@e 4.3.0@f", "", "commit c", "4.2.0", 2, false, "", SeenApart},
	{"before the fix was taken back", reverted, "4.1.0@d 4.2.0@e 4.3.0@f", "", "commit c", "4.1.0", 2, false, "", CameBack},
	{"what took the fix back was taken back", reverted, "4.1.0@c 4.2.0@e 4.3.0@f", "", "commit c", "4.3.0", 2, false, "", CameBack},
	{"the fix was taken back and made again", again, "4.1.0@c 4.2.0@e 4.3.0@f", "", "commit c", "4.3.0", 2, false, "", CameBack},
	{"taken back on another branch alone", "a-b-c-d, c-r, r!c", "4.2.0@d 4.2.0-trial@r", "", "commit c", "4.2.0", 2, false, "", CameBack},
	{"a pick with conflicts", conflict, "4.1.0@h 4.1.1@i", "", "commit c", "4.1.1", 2, false, "", CameBack},
	{"a pick with conflicts that was taken back", conflict + ", i-j, j!i", "4.1.0@h 4.1.2@j", "", "commit c", "4.1.2", 2, false, "", SeenApart},
	{"the fix is a revert, and the fault was made again", "a-b-c-d, c!b, d~b", "4.1.0@c 4.2.0@d", "", "commit c", "4.2.0", 2, false, "", SeenApart},
	{"announced with the fixing commit alone", "", "4.2.0@c", "", "commit c", "4.2.0", 2, false, "", CameBack},
	{"announced with a commit nobody pushed, which is the fix", line, "4.2.0@q", "", "commit q", "4.2.0", 2, false, "", CameBack},
}
