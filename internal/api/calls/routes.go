package calls

import (
	"slices"
	"time"

	"firethorn/internal/core/access"
)

// Route is one call of the API: how it is named, where it stands, which permission
// it needs, and what it does in a few words.
type Route struct {
	ID, Method, Path string
	Need             Action
	summary          string
}

// Routes is the table of all calls. A call that is in no row has no handler, and a
// row without a handler does not start: see Table.Check.
func Routes() []Route {
	return slices.Concat(peopleRoutes(), roleRoutes(), issueRoutes(), eventRoutes(), searchRoutes(),
		releaseRoutes(), groupingRoutes(),
		projectRoutes(), alertRoutes(), serviceRoutes())
}

// FreshSignIn is how long ago a person may have signed in who does what cannot be
// undone, or changes who may do what.
const FreshSignIn = 10 * time.Minute

// fresh are the calls that want a fresh sign-in of a person in a browser.
var fresh = []string{"delete-issue", "erase-user", "create-token", "rotate-token", "revoke-token", "set-member",
	"set-role-everywhere", "set-operator", "merge-people", "add-person", "invite-person", "leave", "change-team"}

// Fresh says whether a person in a browser needs a fresh sign-in for a call.
func (r Route) Fresh() bool { return slices.Contains(fresh, r.ID) }

// peopleRoutes are about people, and signing in.
func peopleRoutes() []Route {
	return []Route{
		{"me", "GET", "/api/me", Anyone, "The caller, with their roles"},
		{"link-for-me", "POST", "/api/me/link", Anyone,
			"Create a one-time sign-in link for yourself; needs a token, not a browser session"},
		{"list-sign-ins", "GET", "/api/me/sessions", Anyone, "List your browser sessions"},
		{"end-other-sign-ins", "DELETE", "/api/me/sessions", Anyone, "End all your sessions except this one"},
		{"end-sign-in", "DELETE", "/api/me/sessions/{id}", Anyone, "End a session of yours"},
		{"list-people", "GET", "/api/people", access.ReadPeople,
			"List people who share a project with you, with their teams, present and former"},
		{"add-person", "POST", "/api/people", access.ChangePeople, "Add a person; returns a one-time sign-in link"},
		{"leave", "POST", "/api/people/{who}/leave", access.ChangePeople,
			"Mark a person as gone, or dissolve a team: their roles, tokens and sessions end"},
		{"invite-person", "POST", "/api/people/{who}/link", access.ChangePeople, "Create a new one-time sign-in link"},
		{"merge-people", "POST", "/api/people/{who}/merge", access.ChangePeople,
			"Merge two accounts of one person"},
		{"return", "POST", "/api/people/{who}/return", access.ChangePeople, "Mark a person as back"},
		{"sign-out-person", "POST", "/api/people/{who}/sign-out", access.ChangePeople,
			"End all sessions and unused sign-in links of a person"},
		{"sign-in", "POST", "/api/session", SignIn, "Open a session with a one-time link"},
		{"sign-out", "DELETE", "/api/session", Anyone, "End the session"},
		{"list-teams", "GET", "/api/teams", access.ReadPeople, "List teams with their members"},
		{"create-team", "POST", "/api/teams", access.ChangePeople, "Create a team: people who own issues together"},
		{"change-team", "PATCH", "/api/teams/{team}", access.ChangePeople, "Add people to a team, or remove them"},
	}
}

// roleRoutes are about what people and tokens may do.
func roleRoutes() []Route {
	return []Route{
		{"list-members", "GET", "/api/projects/{project}/members", access.ReadProject,
			"List the roles in a project, and where each comes from"},
		{"set-member", "PUT", "/api/projects/{project}/members", access.ChangeMembers,
			"Give a person or a team a role in a project, or remove it"},
		{"set-role-everywhere", "PUT", "/api/people/{who}/role", access.ChangePeople,
			"Give a person or a team a role in all projects, or remove it"},
		{"set-operator", "PUT", "/api/people/{who}/operator", access.ChangePeople,
			"Make a person an operator of the service, or end that"},
		{"list-tokens", "GET", "/api/tokens", access.OwnTokens,
			"List your tokens and those of projects that you maintain, newest first; operators see all"},
		{"create-token", "POST", "/api/tokens", access.OwnTokens, "Create a token; its secret is shown only once"},
		{"rotate-token", "POST", "/api/tokens/{id}/rotate", access.OwnTokens,
			"Give a token a new secret; the old one stays valid for a while"},
		{"revoke-token", "DELETE", "/api/tokens/{id}", access.OwnTokens, "Revoke a token"},
	}
}

// issueRoutes are about issues.
func issueRoutes() []Route {
	return []Route{
		{"show-issue", "GET", "/api/issues/{project}/{number}", access.ReadIssues, "One issue"},
		{"delete-issue", "DELETE", "/api/issues/{project}/{number}", access.DeleteIssues,
			"Delete an issue with its events; this cannot be undone"},
		{"accept-issue", "POST", "/api/issues/{project}/{number}/accept", access.TriageIssues,
			"Accept: it is real and will be worked on"},
		{"assign-issue", "POST", "/api/issues/{project}/{number}/assign", access.TriageIssues,
			"Assign an issue to a person or team; that also accepts it"},
		{"issue-beside", "GET", "/api/issues/{project}/{number}/beside", access.ReadIssues,
			"Issues with the same fingerprint, similar issues, and issues that occur together"},
		{"brief-issue", "GET", "/api/issues/{project}/{number}/brief", access.ReadIssues,
			"Everything needed to decide about an issue, in one answer"},
		{"write-comment", "POST", "/api/issues/{project}/{number}/comments", access.Comment,
			"Write a comment in Markdown; people mentioned, the owner and watchers get a notice"},
		{"change-comment", "PUT", "/api/issues/{project}/{number}/comments/{comment}", access.Comment,
			"Change a comment of your own"},
		{"delete-comment", "DELETE", "/api/issues/{project}/{number}/comments/{comment}", access.Comment,
			"Delete a comment of your own"},
		{"count-only-issue", "POST", "/api/issues/{project}/{number}/count-only", access.TriageIssues,
			"Dismiss, and store no bodies of its new events"},
		{"what-goes", "GET", "/api/issues/{project}/{number}/deletion", access.ReadIssues,
			"Show what deleting an issue would remove"},
		{"issue-differences", "GET", "/api/issues/{project}/{number}/differences", access.ReadIssues,
			"Differences among the events of an issue, for a split"},
		{"dismiss-issue", "POST", "/api/issues/{project}/{number}/dismiss", access.TriageIssues,
			"Dismiss: nothing will be done"},
		{"list-issue-events", "GET", "/api/issues/{project}/{number}/events", access.ReadEvents,
			"An issue's events, newest first"},
		{"show-issue-event", "GET", "/api/issues/{project}/{number}/events/{event}", access.ReadEvents,
			"One event of an issue: newest, oldest or an id"},
		{"list-issue-feedback", "GET", "/api/issues/{project}/{number}/feedback", access.ReadIssues,
			"Feedback about an issue, newest first"},
		{"fix-issue", "POST", "/api/issues/{project}/{number}/fix", access.TriageIssues,
			"Mark as fixed: in a release, in the next release, by a commit, or as of now"},
		{"issue-history", "GET", "/api/issues/{project}/{number}/history", access.ReadIssues,
			"The history of an issue, newest first"},
		{"likely-changes", "GET", "/api/issues/{project}/{number}/likely", access.ReadIssues,
			"Commits that may have caused an issue, and the last change of the origin's line"},
		{"merge-issue", "POST", "/api/issues/{project}/{number}/merge", access.TriageIssues,
			"Merge it, and others, into another issue; undo reverts it"},
		{"propose-owners", "GET", "/api/issues/{project}/{number}/owners", access.ReadIssues,
			"Proposed owners of an issue, with reasons"},
		{"park-issue", "POST", "/api/issues/{project}/{number}/park", access.TriageIssues,
			"Park until a condition wakes it: a time, more events or users, the next release, a new environment"},
		{"reopen-issue", "POST", "/api/issues/{project}/{number}/reopen", access.TriageIssues, "Open it again"},
		{"severity-issue", "POST", "/api/issues/{project}/{number}/severity", access.TriageIssues,
			"Raise or lower its severity"},
		{"issue-since", "GET", "/api/issues/{project}/{number}/since", access.ReadIssues,
			"The days of an issue with releases, deploys and decisions, and what its absence means"},
		{"split-issue", "POST", "/api/issues/{project}/{number}/split", access.TriageIssues,
			"Split off the events that have a difference; undo reverts it"},
		{"issue-together", "GET", "/api/issues/{project}/{number}/together", access.ReadIssues,
			"Issues that occur together with an issue more often than chance predicts"},
		{"undo-issue", "POST", "/api/issues/{project}/{number}/undo", access.TriageIssues,
			"Undo the newest change, by a person or automatic"},
		{"watch-issue", "PUT", "/api/issues/{project}/{number}/watch", access.ReadIssues,
			"Get notices about an issue"},
		{"unwatch-issue", "DELETE", "/api/issues/{project}/{number}/watch", access.ReadIssues, "End notices about it"},
		{"list-notices", "GET", "/api/notices", Anyone,
			"Your notices: changes of issues that you own or watch, and comments that mention you"},
		{"see-notices", "POST", "/api/notices/seen", Anyone, "Mark your notices as seen, up to one"},
		{"list-carriers", "GET", "/api/owners", access.ReadIssues, "Owners and their issues, most impact first"},
		{"hand-over", "POST", "/api/owners/hand-over", access.TriageIssues,
			"Assign all open and parked issues of a person to another person"},
		{"list-issues", "GET", "/api/projects/{project}/issues", access.ReadIssues, "A project's issues"},
		{"act-on-many", "POST", "/api/projects/{project}/issues/act", access.TriageIssues,
			"Decide about many issues, by a filter or by their ids"},
		{"undo-many", "POST", "/api/projects/{project}/issues/undo", access.TriageIssues,
			"Undo a decision about many issues"},
		{"show-round", "GET", "/api/round", access.ReadIssues, "Issues that need your decision, and why"},
		{"begin-round", "POST", "/api/round", access.TriageIssues, "Begin a round, or continue the current one"},
		{"end-round", "POST", "/api/round/end", access.TriageIssues, "End your round, with a summary"},
		{"pass-in-round", "POST", "/api/round/pass", access.TriageIssues,
			"Mark issues as seen without a decision: they return when something happens"},
	}
}

// eventRoutes are about events, sessions, feedback.
func eventRoutes() []Route {
	return []Route{
		{"list-events", "GET", "/api/projects/{project}/events", access.ReadEvents,
			"A project's events, newest first"},
		{"show-event", "GET", "/api/projects/{project}/events/{event}", access.ReadEvents, "One event"},
		{"list-feedback", "GET", "/api/projects/{project}/feedback", access.ReadIssues,
			"Feedback, newest first"},
		{"count-sessions", "GET", "/api/projects/{project}/session-counts", access.ReadIssues,
			"Count sessions by outcome, release and environment"},
		{"list-sessions", "GET", "/api/projects/{project}/sessions", access.ReadIssues,
			"List sessions, newest first"},
		{"show-session", "GET", "/api/projects/{project}/sessions/{session}", access.ReadIssues,
			"One session and its events"},
		{"show-trace", "GET", "/api/traces/{trace}", access.ReadEvents,
			"All events of a trace, across projects, in the order they were thrown"},
	}
}

// searchRoutes answer searches.
func searchRoutes() []Route {
	return []Route{
		{"list-attributes", "GET", "/api/projects/{project}/attributes", access.ReadEvents,
			"List the searchable attributes"},
		{"change-attribute", "POST", "/api/projects/{project}/attributes", access.PushRules,
			"Exclude an attribute from the search index, or include it again"},
		{"show-facets", "GET", "/api/projects/{project}/facets", access.ReadEvents,
			"Values of attributes in the events that match a search"},
		{"compare-facets", "GET", "/api/projects/{project}/facets/against", access.ReadEvents,
			"Values that are far more common in the events that match a search than in all others"},
		{"show-histogram", "GET", "/api/projects/{project}/histogram", access.ReadEvents,
			"Events that match a search, over time"},
		{"complete-search", "GET", "/api/projects/{project}/search/complete", access.ReadEvents,
			"Completions at a position of a search"},
		{"list-searches", "GET", "/api/projects/{project}/searches", access.ReadIssues,
			"List saved searches: your own and shared ones"},
		{"show-search", "GET", "/api/projects/{project}/searches/{name}", access.ReadIssues, "One saved search"},
		{"save-search", "PUT", "/api/projects/{project}/searches/{name}", access.ReadIssues,
			"Save a search under a name, for yourself or shared"},
		{"delete-search", "DELETE", "/api/projects/{project}/searches/{name}", access.ReadIssues,
			"Delete a saved search"},
		{"show-affected", "GET", "/api/projects/{project}/affected", access.ReadEvents,
			"Count the users affected by the events that match a search, and how many of them returned"},
		{"show-trail", "GET", "/api/projects/{project}/users/{who}/trail", access.ReadEvents,
			"One user's trail: sessions, events, breadcrumbs, feedback"},
		{"list-users", "GET", "/api/projects/{project}/users", access.ReadEvents,
			"Users of the events that match a search, most events first"},
		{"show-user", "GET", "/api/projects/{project}/users/{who}", access.ReadEvents,
			"One user, by any of their identifiers, with their issues"},
	}
}

// releaseRoutes are about symbols, releases and code.
func releaseRoutes() []Route {
	return []Route{
		{"who-changed-line", "GET", "/api/projects/{project}/line", access.ReadIssues,
			"The last change of a line in a trace"},
		{"list-quality", "GET", "/api/projects/{project}/quality", access.ReadIssues,
			"The health of releases in a window: sessions, crashes, uptake and verdict"},
		{"show-uptake", "GET", "/api/projects/{project}/quality/uptake", access.ReadIssues,
			"Session starts of each release over time"},
		{"show-quality", "GET", "/api/projects/{project}/release/quality", access.ReadIssues,
			"Compare the health of two releases"},
		{"show-devices", "GET", "/api/projects/{project}/release/devices", access.ReadIssues,
			"Session outcomes of a release by device, system and browser"},
		{"list-release-issues", "GET", "/api/projects/{project}/release/issues", access.ReadIssues,
			"Issues that are new or regressed in a release, with the share of its sessions that each affects"},
		{"compare-releases", "GET", "/api/projects/{project}/release/compare", access.ReadEvents,
			"Compare the issues of two releases: those of only one, and the counts of the others in both"},
		{"check-release", "GET", "/api/projects/{project}/release/check", access.ReadIssues,
			"Decide whether a release may proceed, for pipelines"},
		{"show-release", "GET", "/api/projects/{project}/release", access.ReadIssues,
			"One release: new, regressed and fixed issues, deploys and sessions"},
		{"mark-deployed", "POST", "/api/projects/{project}/release/deploys", access.AnnounceReleases,
			"Record a deploy of a release to an environment"},
		{"order-releases", "GET", "/api/projects/{project}/release/order", access.ReadIssues,
			"Compare two releases by the project's order, with the reason"},
		{"list-releases", "GET", "/api/projects/{project}/releases", access.ReadIssues,
			"A project's releases, the newest first"},
		{"announce-release", "POST", "/api/projects/{project}/releases", access.AnnounceReleases,
			"Announce a release, by its build"},
		{"show-repository", "GET", "/api/projects/{project}/repository", access.AnnounceReleases,
			"The repository of a project: up to which commits its history is known"},
		{"list-symbols", "GET", "/api/projects/{project}/symbols", access.ReadIssues,
			"Pushed symbols, newest first, and their size by release"},
		{"push-symbols", "POST", "/api/projects/{project}/symbols", access.PushSymbols,
			"Record the contents of a release's files"},
		{"check-symbols", "GET", "/api/projects/{project}/symbols/check", access.ReadIssues,
			"Check whether the traces of a release, or of one event, are readable, and why not"},
		{"missing-symbols", "POST", "/api/projects/{project}/symbols/missing", access.PushSymbols,
			"List the contents that the project does not have yet"},
		{"unread-releases", "GET", "/api/projects/{project}/symbols/unread", access.ReadIssues,
			"Releases with unreadable traces because of missing symbols"},
	}
}

// groupingRoutes are about grouping and rules.
func groupingRoutes() []Route {
	return []Route{
		{"why-grouped", "GET", "/api/projects/{project}/grouping", access.ReadIssues,
			"Explain the fingerprint of an event, or the first difference of two"},
		{"review-grouping", "GET", "/api/projects/{project}/grouping/review", access.ReadIssues,
			"Find badly grouped issues, with a suggested rule for each"},
		{"suggest-rules", "GET", "/api/projects/{project}/grouping/review/{finding}/rules", access.ReadIssues,
			"The project's rules file with the rule that a finding suggests"},
		{"adopt-grouping", "PUT", "/api/projects/{project}/grouping/version", access.PushRules,
			"Adopt another grouping version for new events; stored events stay as they are"},
		{"show-regroupings", "GET", "/api/projects/{project}/regroupings", access.ReadIssues,
			"The grouping version of a project, and its regroupings"},
		{"begin-regrouping", "POST", "/api/projects/{project}/regroupings/begin", access.Regroup,
			"Regroup stored events by the current rules and version, in the background"},
		{"stop-regrouping", "POST", "/api/projects/{project}/regroupings/stop", access.Regroup,
			"Stop a regrouping that has not changed anything yet"},
		{"undo-regrouping", "POST", "/api/projects/{project}/regroupings/undo", access.Regroup,
			"Undo the last regrouping and restore the previous rules and version"},
		{"show-rules", "GET", "/api/projects/{project}/rules", access.CheckRules, "A project's rules file"},
		{"push-rules", "PUT", "/api/projects/{project}/rules", access.PushRules,
			"Replace the rules file"},
		{"check-rules", "POST", "/api/projects/{project}/rules/check", access.CheckRules,
			"Check a rules file"},
		{"list-rules", "GET", "/api/projects/{project}/rules/history", access.ReadIssues,
			"List the versions of a project's rules file, with authors and changes"},
		{"try-rules", "POST", "/api/projects/{project}/rules/try", access.ReadEvents,
			"Try a rules file or another grouping version on stored events"},
		{"watch-rules-trial", "POST", "/api/projects/{project}/rules/try/live", access.ReadEvents,
			"Try a rules file, with progress as server-sent events; ending the request cancels the trial"},
		{"list-rule-words", "GET", "/api/rules/words", Anyone, "List the names that rules can use"},
	}
}

// projectRoutes are about projects.
func projectRoutes() []Route {
	return []Route{
		{"show-overview", "GET", "/api/overview", access.ReadIssues,
			"An overview of all projects: trend, open and new issues, newest release, problems"},
		{"list-projects", "GET", "/api/projects", access.ReadProject, "All projects"},
		{"create-project", "POST", "/api/projects", access.CreateProjects,
			"Create a project with its first ingest key"},
		{"show-project", "GET", "/api/projects/{project}", access.ReadProject, "One project"},
		{"change-project", "PATCH", "/api/projects/{project}", access.ChangeProject,
			"Change how long events are kept, the allowance, the origins, which log records become events"},
		{"erase-user", "POST", "/api/projects/{project}/erasures", access.EraseUsers,
			"Erase a user: event bodies that contain them are deleted, counts stay"},
		{"show-erasure", "GET", "/api/projects/{project}/erasures/{id}", access.EraseUsers, "An erasure's progress"},
		{"show-scoring", "GET", "/api/projects/{project}/impact", access.ReadIssues,
			"The scoring weights and the surge limits"},
		{"change-scoring", "PUT", "/api/projects/{project}/impact", access.ChangeImpact,
			"Change the scoring weights or the surge limits; all issues are scored again"},
		{"try-scoring", "POST", "/api/projects/{project}/impact/trial", access.ReadIssues,
			"Compare the issue list with the one that other weights would give"},
		{"list-keys", "GET", "/api/projects/{project}/keys", access.ReadProject, "A project's ingest keys"},
		{"create-key", "POST", "/api/projects/{project}/keys", access.ChangeProject, "Create an ingest key"},
		{"revoke-key", "POST", "/api/projects/{project}/keys/{key}/revoke", access.ChangeProject,
			"Revoke a key at once"},
		{"rotate-key", "POST", "/api/projects/{project}/keys/{key}/rotate", access.ChangeProject,
			"Replace a key; the old one stays valid for a while"},
		{"show-received", "GET", "/api/projects/{project}/received", access.ReadIssues,
			"Received events and what happened to them, by hour"},
		{"set-up", "GET", "/api/projects/{project}/set-up", access.ReadProject,
			"Set-up steps for an application, with the project's key"},
	}
}

// serviceRoutes are about the service.
func serviceRoutes() []Route {
	return []Route{
		{"list-audit", "GET", "/api/audit", access.ReadAudit, "The audit log, newest first"},
		{"verify-audit", "GET", "/api/audit/verification", access.ReadAudit, "Verify the audit log"},
		{"show-queue", "GET", "/api/queue", access.WorkQueue, "The processing queue, and failed events"},
		{"discard-event", "POST", "/api/queue/{id}/discard", access.WorkQueue,
			"Discard a failed event; it counts as dropped"},
		{"retry-event", "POST", "/api/queue/{id}/retry", access.WorkQueue, "Process a failed event again"},
		{"recount", "GET", "/api/recount", access.RepairCounters, "Compare every counter with the rows it counts"},
		{"repair", "POST", "/api/recount", access.RepairCounters,
			"Repair every counter that differs from its rows, then compare again"},
		{"status", "GET", "/api/status", access.ReadService, "Check the service"},
	}
}

// Streams is the table of the calls that are in no document: their bodies are no
// JSON of a call.
func Streams() []Route {
	return []Route{
		{"push-symbol-content", "POST", "/api/projects/{project}/symbols/content", access.PushSymbols,
			"Upload source maps and sources"},
		{"push-bundle", "POST", "/api/projects/{project}/repository/bundle", access.AnnounceReleases,
			"Upload a git bundle: a project's history up to a commit"},
		{"live", "GET", "/api/live", access.ReadIssues, "A stream of what changes"},
		{"rules-schema", "GET", "/api/rules.schema.json", Anyone, "The JSON Schema of rules files"},
		{"export-audit", "GET", "/api/audit/export", access.ReadAudit, "Export the audit log as JSON lines"},
		{"metrics", "GET", "/metrics", access.ReadMetrics, "Metrics of the service, for Prometheus"},
	}
}
