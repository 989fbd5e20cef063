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
		{"me", "GET", "/api/me", Anyone, "Who asks, and what they are in which project"},
		{"link-for-me", "POST", "/api/me/link", Anyone,
			"Make a one-time sign-in link for yourself; with a token of yours, not in a browser"},
		{"list-sign-ins", "GET", "/api/me/sessions", Anyone, "The browsers that you are signed in with"},
		{"end-other-sign-ins", "DELETE", "/api/me/sessions", Anyone, "End all your sessions but the one that asks"},
		{"end-sign-in", "DELETE", "/api/me/sessions/{id}", Anyone, "End a session of yours"},
		{"list-people", "GET", "/api/people", access.ReadPeople,
			"Who works here and shares a project with you, in which teams, and who did"},
		{"add-person", "POST", "/api/people", access.ChangePeople, "Add someone; answers with a one-time sign-in link"},
		{"leave", "POST", "/api/people/{who}/leave", access.ChangePeople,
			"Say that somebody does not work here any more, or dissolve a team: their roles, tokens and sessions end"},
		{"invite-person", "POST", "/api/people/{who}/link", access.ChangePeople, "Make a new one-time sign-in link"},
		{"merge-people", "POST", "/api/people/{who}/merge", access.ChangePeople,
			"Say that somebody is here twice, and make one of them"},
		{"return", "POST", "/api/people/{who}/return", access.ChangePeople, "Say that somebody works here again"},
		{"sign-out-person", "POST", "/api/people/{who}/sign-out", access.ChangePeople,
			"End all sessions and unused sign-in links of somebody"},
		{"sign-in", "POST", "/api/session", SignIn, "Open a session with a one-time link"},
		{"sign-out", "DELETE", "/api/session", Anyone, "End the session"},
		{"list-teams", "GET", "/api/teams", access.ReadPeople, "The teams, with their members"},
		{"create-team", "POST", "/api/teams", access.ChangePeople, "Make a team: people who have issues together"},
		{"change-team", "PATCH", "/api/teams/{team}", access.ChangePeople, "Let people into a team, or out of it"},
	}
}

// roleRoutes are about what people and tokens may do.
func roleRoutes() []Route {
	return []Route{
		{"list-members", "GET", "/api/projects/{project}/members", access.ReadProject,
			"Who has which role in a project, and by what"},
		{"set-member", "PUT", "/api/projects/{project}/members", access.ChangeMembers,
			"Give somebody, or a team, a role in a project, or take it away"},
		{"set-role-everywhere", "PUT", "/api/people/{who}/role", access.ChangePeople,
			"Give somebody, or a team, a role in all projects, or take it away"},
		{"set-operator", "PUT", "/api/people/{who}/operator", access.ChangePeople,
			"Make somebody an operator of the service, or take that away"},
		{"list-tokens", "GET", "/api/tokens", access.OwnTokens,
			"Your tokens, and those of the projects that you maintain; operators see all. The newest first, without their texts"},
		{"create-token", "POST", "/api/tokens", access.OwnTokens, "Make a token; its text is shown this once"},
		{"rotate-token", "POST", "/api/tokens/{id}/rotate", access.OwnTokens,
			"Give a token another text; the text before stays good for a while"},
		{"revoke-token", "DELETE", "/api/tokens/{id}", access.OwnTokens, "End a token"},
	}
}

// issueRoutes are about issues.
func issueRoutes() []Route {
	return []Route{
		{"show-issue", "GET", "/api/issues/{project}/{number}", access.ReadIssues, "One issue"},
		{"delete-issue", "DELETE", "/api/issues/{project}/{number}", access.DeleteIssues,
			"Delete an issue with its events, for good"},
		{"accept-issue", "POST", "/api/issues/{project}/{number}/accept", access.TriageIssues,
			"Accept: it is real and somebody will see to it"},
		{"assign-issue", "POST", "/api/issues/{project}/{number}/assign", access.TriageIssues,
			"Give it to a person; that also accepts it"},
		{"issue-beside", "GET", "/api/issues/{project}/{number}/beside", access.ReadIssues,
			"Where else an issue's fingerprint was seen, and issues like it"},
		{"brief-issue", "GET", "/api/issues/{project}/{number}/brief", access.ReadIssues,
			"All that a person needs to decide about an issue, in one answer"},
		{"write-comment", "POST", "/api/issues/{project}/{number}/comments", access.Comment,
			"Write a comment, in Markdown; who is mentioned, has the issue or watches it hears of it"},
		{"change-comment", "PUT", "/api/issues/{project}/{number}/comments/{comment}", access.Comment,
			"Change a comment of your own"},
		{"delete-comment", "DELETE", "/api/issues/{project}/{number}/comments/{comment}", access.Comment,
			"Take a comment of your own away"},
		{"count-only-issue", "POST", "/api/issues/{project}/{number}/count-only", access.TriageIssues,
			"Dismiss, and keep no bodies of its events from now on"},
		{"what-goes", "GET", "/api/issues/{project}/{number}/deletion", access.ReadIssues,
			"What deleting an issue would remove"},
		{"issue-differences", "GET", "/api/issues/{project}/{number}/differences", access.ReadIssues,
			"What the events of an issue differ in, to split it by"},
		{"dismiss-issue", "POST", "/api/issues/{project}/{number}/dismiss", access.TriageIssues,
			"Dismiss: nothing will be done"},
		{"list-issue-events", "GET", "/api/issues/{project}/{number}/events", access.ReadEvents,
			"An issue's events, newest first"},
		{"show-issue-event", "GET", "/api/issues/{project}/{number}/events/{event}", access.ReadEvents,
			"An event of an issue: newest, oldest or an id"},
		{"list-issue-feedback", "GET", "/api/issues/{project}/{number}/feedback", access.ReadIssues,
			"What people said about an issue, newest first"},
		{"fix-issue", "POST", "/api/issues/{project}/{number}/fix", access.TriageIssues,
			"Say in what it is fixed: in a release, in the next one, by a commit, as of now"},
		{"issue-history", "GET", "/api/issues/{project}/{number}/history", access.ReadIssues,
			"What happened to an issue, newest first"},
		{"likely-changes", "GET", "/api/issues/{project}/{number}/likely", access.ReadIssues,
			"The commits that may have brought an issue, and who changed the origin's line last"},
		{"merge-issue", "POST", "/api/issues/{project}/{number}/merge", access.TriageIssues,
			"Merge it, and others, into another issue; undo takes it back"},
		{"propose-owners", "GET", "/api/issues/{project}/{number}/owners", access.ReadIssues,
			"Who may have an issue, and why"},
		{"park-issue", "POST", "/api/issues/{project}/{number}/park", access.TriageIssues,
			"Park until something wakes it: a time, more events or users, a doubled rate, the next release, a new environment"},
		{"reopen-issue", "POST", "/api/issues/{project}/{number}/reopen", access.TriageIssues, "Open it again"},
		{"severity-issue", "POST", "/api/issues/{project}/{number}/severity", access.TriageIssues,
			"Raise or lower its severity"},
		{"issue-since", "GET", "/api/issues/{project}/{number}/since", access.ReadIssues,
			"Since when: an issue's days with releases, deploys and decisions, and what its silence means"},
		{"split-issue", "POST", "/api/issues/{project}/{number}/split", access.TriageIssues,
			"Split off the events that have a difference; undo takes it back"},
		{"issue-together", "GET", "/api/issues/{project}/{number}/together", access.ReadIssues,
			"Issues that happen together with an issue: same user, session or trace within a minute, against chance"},
		{"undo-issue", "POST", "/api/issues/{project}/{number}/undo", access.TriageIssues,
			"Undo the newest change: a decision, or what happened by itself"},
		{"watch-issue", "PUT", "/api/issues/{project}/{number}/watch", access.ReadIssues,
			"Hear of what happens to an issue"},
		{"unwatch-issue", "DELETE", "/api/issues/{project}/{number}/watch", access.ReadIssues, "Hear of it no more"},
		{"list-notices", "GET", "/api/notices", Anyone,
			"What you should hear of: issues that you have or watch coming back, waking, decided about or commented on by others, and comments that mention you"},
		{"see-notices", "POST", "/api/notices/seen", Anyone, "Say that you have seen your notices up to one"},
		{"list-carriers", "GET", "/api/owners", access.ReadIssues, "Owners and their issues, most impact first"},
		{"hand-over", "POST", "/api/owners/hand-over", access.TriageIssues,
			"Give all that a person has, open or parked, to another one"},
		{"list-issues", "GET", "/api/projects/{project}/issues", access.ReadIssues, "A project's issues"},
		{"act-on-many", "POST", "/api/projects/{project}/issues/act", access.TriageIssues,
			"Decide about many issues: those of a filter, or those named"},
		{"undo-many", "POST", "/api/projects/{project}/issues/undo", access.TriageIssues,
			"Take a decision about many issues back"},
		{"show-round", "GET", "/api/round", access.ReadIssues, "What needs a decision of yours, and why"},
		{"begin-round", "POST", "/api/round", access.TriageIssues, "Begin a round, or go on with the one under way"},
		{"end-round", "POST", "/api/round/end", access.TriageIssues, "End your round, and sum it up"},
		{"pass-in-round", "POST", "/api/round/pass", access.TriageIssues,
			"Say that you have seen issues and leave them as they are: they come again when something happens"},
	}
}

// eventRoutes are about events, sessions, feedback.
func eventRoutes() []Route {
	return []Route{
		{"list-events", "GET", "/api/projects/{project}/events", access.ReadEvents,
			"A project's events, newest first"},
		{"show-event", "GET", "/api/projects/{project}/events/{event}", access.ReadEvents, "One event"},
		{"list-feedback", "GET", "/api/projects/{project}/feedback", access.ReadIssues,
			"What people said, newest first"},
		{"count-sessions", "GET", "/api/projects/{project}/session-counts", access.ReadIssues,
			"How many sessions ended how, by release and environment"},
		{"list-sessions", "GET", "/api/projects/{project}/sessions", access.ReadIssues,
			"Runs of the application, newest first"},
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
			"The names of attributes that are searched"},
		{"change-attribute", "POST", "/api/projects/{project}/attributes", access.PushRules,
			"Take the place of a name away, so that it is not searched, or give it back"},
		{"show-facets", "GET", "/api/projects/{project}/facets", access.ReadEvents,
			"The values of attributes in the events that fit a search"},
		{"compare-facets", "GET", "/api/projects/{project}/facets/against", access.ReadEvents,
			"What is far more common in the events that fit a search than in all others"},
		{"show-histogram", "GET", "/api/projects/{project}/histogram", access.ReadEvents,
			"When the events came that fit a search"},
		{"complete-search", "GET", "/api/projects/{project}/search/complete", access.ReadEvents,
			"What could be written at a place of a search"},
		{"list-searches", "GET", "/api/projects/{project}/searches", access.ReadIssues,
			"The searches with a name: your own and the shared ones"},
		{"show-search", "GET", "/api/projects/{project}/searches/{name}", access.ReadIssues, "One search with a name"},
		{"save-search", "PUT", "/api/projects/{project}/searches/{name}", access.ReadIssues,
			"Save a search under a name, for yourself or shared"},
		{"delete-search", "DELETE", "/api/projects/{project}/searches/{name}", access.ReadIssues,
			"Delete a search with a name"},
		{"show-affected", "GET", "/api/projects/{project}/affected", access.ReadEvents,
			"How many users the events that fit a search hit, and how many of them came back"},
		{"show-trail", "GET", "/api/projects/{project}/users/{who}/trail", access.ReadEvents,
			"What one user went through: sessions, events, what led up to them, feedback"},
		{"list-users", "GET", "/api/projects/{project}/users", access.ReadEvents,
			"The users of the events that fit a search, those with most events first"},
		{"show-user", "GET", "/api/projects/{project}/users/{who}", access.ReadEvents,
			"One user by any name: what they ran into"},
	}
}

// releaseRoutes are about symbols, releases and code.
func releaseRoutes() []Route {
	return []Route{
		{"who-changed-line", "GET", "/api/projects/{project}/line", access.ReadIssues,
			"Who changed a line of a trace last"},
		{"list-quality", "GET", "/api/projects/{project}/quality", access.ReadIssues,
			"How the releases of a window do: sessions, crashes, uptake, and a verdict each"},
		{"show-uptake", "GET", "/api/projects/{project}/quality/uptake", access.ReadIssues,
			"How many sessions of each release began when"},
		{"show-quality", "GET", "/api/projects/{project}/release/quality", access.ReadIssues,
			"How one release does beside another one"},
		{"show-devices", "GET", "/api/projects/{project}/release/devices", access.ReadIssues,
			"How a release's sessions ended by device, system and browser"},
		{"list-release-issues", "GET", "/api/projects/{project}/release/issues", access.ReadIssues,
			"The issues that are new in a release or came back in it, with the share of its sessions that each hits"},
		{"compare-releases", "GET", "/api/projects/{project}/release/compare", access.ReadEvents,
			"Two releases side by side: what occurred in one alone, and how often the rest in both"},
		{"check-release", "GET", "/api/projects/{project}/release/check", access.ReadIssues,
			"Whether a release may go on, for pipelines"},
		{"show-release", "GET", "/api/projects/{project}/release", access.ReadIssues,
			"One release: what is new in it, came back in it, was fixed in it; its deploys and sessions"},
		{"mark-deployed", "POST", "/api/projects/{project}/release/deploys", access.AnnounceReleases,
			"Say that a release was deployed to an environment"},
		{"order-releases", "GET", "/api/projects/{project}/release/order", access.ReadIssues,
			"How two releases stand to each other, and why"},
		{"list-releases", "GET", "/api/projects/{project}/releases", access.ReadIssues,
			"A project's releases, the newest first"},
		{"announce-release", "POST", "/api/projects/{project}/releases", access.AnnounceReleases,
			"Say that a build made a release"},
		{"show-repository", "GET", "/api/projects/{project}/repository", access.AnnounceReleases,
			"What is known of a project's code: up to which commits its history was sent"},
		{"list-symbols", "GET", "/api/projects/{project}/symbols", access.ReadIssues,
			"What was pushed, newest first, and what it takes by release"},
		{"push-symbols", "POST", "/api/projects/{project}/symbols", access.PushSymbols,
			"Say which contents the files of a release have"},
		{"check-symbols", "GET", "/api/projects/{project}/symbols/check", access.ReadIssues,
			"Whether the traces of a release, or of one event, can be read, and why not"},
		{"missing-symbols", "POST", "/api/projects/{project}/symbols/missing", access.PushSymbols,
			"Which contents the project does not hold yet"},
		{"unread-releases", "GET", "/api/projects/{project}/symbols/unread", access.ReadIssues,
			"Releases whose traces cannot be read for want of symbols"},
	}
}

// groupingRoutes are about grouping and rules.
func groupingRoutes() []Route {
	return []Route{
		{"why-grouped", "GET", "/api/projects/{project}/grouping", access.ReadIssues,
			"Why an event is grouped as it is, or where two first differ"},
		{"review-grouping", "GET", "/api/projects/{project}/grouping/review", access.ReadIssues,
			"What of a project is grouped badly, with a rule suggested for each"},
		{"suggest-rules", "GET", "/api/projects/{project}/grouping/review/{finding}/rules", access.ReadIssues,
			"The project's rules with the rule that a finding of the review suggests"},
		{"adopt-grouping", "PUT", "/api/projects/{project}/grouping/version", access.PushRules,
			"Adopt another grouping version for what comes; nothing regroups by that"},
		{"show-regroupings", "GET", "/api/projects/{project}/regroupings", access.ReadIssues,
			"How a project's events are grouped, and how stored ones were regrouped"},
		{"begin-regrouping", "POST", "/api/projects/{project}/regroupings/begin", access.Regroup,
			"Group the stored events by the rules and the version there are now, in the background"},
		{"stop-regrouping", "POST", "/api/projects/{project}/regroupings/stop", access.Regroup,
			"End a regrouping that only reads yet"},
		{"undo-regrouping", "POST", "/api/projects/{project}/regroupings/undo", access.Regroup,
			"Take the last regrouping back, with the rules and the version before it"},
		{"show-rules", "GET", "/api/projects/{project}/rules", access.CheckRules, "A project's rules file"},
		{"push-rules", "PUT", "/api/projects/{project}/rules", access.PushRules,
			"Put a rules file in the place of the one there is"},
		{"check-rules", "POST", "/api/projects/{project}/rules/check", access.CheckRules,
			"What is wrong with a rules file"},
		{"list-rules", "GET", "/api/projects/{project}/rules/history", access.ReadIssues,
			"The versions of a project's rules file, with who changed what"},
		{"try-rules", "POST", "/api/projects/{project}/rules/try", access.ReadEvents,
			"What a rules file, or another grouping version, would have done to stored events"},
		{"watch-rules-trial", "POST", "/api/projects/{project}/rules/try/live", access.ReadEvents,
			"The same as a stream of server-sent events: progress, then tried or problem; ending the request cancels the trial"},
		{"list-rule-words", "GET", "/api/rules/words", Anyone, "What rules can use"},
	}
}

// projectRoutes are about projects.
func projectRoutes() []Route {
	return []Route{
		{"show-overview", "GET", "/api/overview", access.ReadIssues,
			"How every project stands: trend, open and new issues, newest release, what is wrong"},
		{"list-projects", "GET", "/api/projects", access.ReadProject, "All projects"},
		{"create-project", "POST", "/api/projects", access.CreateProjects,
			"Create a project with its first ingest key"},
		{"show-project", "GET", "/api/projects/{project}", access.ReadProject, "One project"},
		{"change-project", "PATCH", "/api/projects/{project}", access.ChangeProject,
			"Change how long events are kept, the allowance, the origins, which log records become events"},
		{"erase-user", "POST", "/api/projects/{project}/erasures", access.EraseUsers,
			"Forget a user: bodies that hold them go, counts stay"},
		{"show-erasure", "GET", "/api/projects/{project}/erasures/{id}", access.EraseUsers, "How far an erasure is"},
		{"show-scoring", "GET", "/api/projects/{project}/impact", access.ReadIssues,
			"By what issues are scored, and when they surge"},
		{"change-scoring", "PUT", "/api/projects/{project}/impact", access.ChangeImpact,
			"Change by what issues are scored, or when they surge; all are scored anew"},
		{"try-scoring", "POST", "/api/projects/{project}/impact/trial", access.ReadIssues,
			"The list as it is, and as it would be by other weights"},
		{"list-keys", "GET", "/api/projects/{project}/keys", access.ReadProject, "A project's ingest keys"},
		{"create-key", "POST", "/api/projects/{project}/keys", access.ChangeProject, "Another ingest key"},
		{"revoke-key", "POST", "/api/projects/{project}/keys/{key}/revoke", access.ChangeProject,
			"Revoke a key at once"},
		{"rotate-key", "POST", "/api/projects/{project}/keys/{key}/rotate", access.ChangeProject,
			"A key in the place of another, which stays good for a while"},
		{"show-received", "GET", "/api/projects/{project}/received", access.ReadIssues,
			"What came in and what became of it, by hour"},
		{"set-up", "GET", "/api/projects/{project}/set-up", access.ReadProject,
			"How an application is set up to report, with the project's own key"},
	}
}

// serviceRoutes are about the service.
func serviceRoutes() []Route {
	return []Route{
		{"list-audit", "GET", "/api/audit", access.ReadAudit, "Who did what, when, from where, newest first"},
		{"verify-audit", "GET", "/api/audit/verification", access.ReadAudit, "Whether the audit is as it was written"},
		{"show-queue", "GET", "/api/queue", access.WorkQueue, "The processing queue, and failed events"},
		{"discard-event", "POST", "/api/queue/{id}/discard", access.WorkQueue,
			"Discard a failed event; it counts as dropped"},
		{"retry-event", "POST", "/api/queue/{id}/retry", access.WorkQueue, "Process a failed event again"},
		{"recount", "GET", "/api/recount", access.RepairCounters, "Compare every counter with the rows it stands for"},
		{"repair", "POST", "/api/recount", access.RepairCounters,
			"Make every counter that differs anew from its rows, then compare again"},
		{"status", "GET", "/api/status", access.ReadService, "Is all well"},
	}
}

// Streams is the table of the calls that are in no document: their bodies are no
// JSON of a call.
func Streams() []Route {
	return []Route{
		{"push-symbol-content", "POST", "/api/projects/{project}/symbols/content", access.PushSymbols,
			"Take in source maps and sources"},
		{"push-bundle", "POST", "/api/projects/{project}/repository/bundle", access.AnnounceReleases,
			"Take in a git bundle: a project's history up to a commit"},
		{"live", "GET", "/api/live", access.ReadIssues, "A stream of what changes"},
		{"rules-schema", "GET", "/api/rules.schema.json", Anyone, "The form of rules files"},
		{"export-audit", "GET", "/api/audit/export", access.ReadAudit, "All that the audit holds, as lines of JSON"},
		{"metrics", "GET", "/metrics", access.ReadMetrics, "What the service measures of itself"},
	}
}
