package calls

import "slices"

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
	return slices.Concat(peopleRoutes(), issueRoutes(), eventRoutes(), releaseRoutes(), groupingRoutes(),
		projectRoutes(), serviceRoutes())
}

// peopleRoutes are about people, and signing in.
func peopleRoutes() []Route {
	return []Route{
		{"me", "GET", "/api/me", Anyone, "Who asks"},
		{"list-people", "GET", "/api/people", See, "Who works here, in which teams, and who did"},
		{"add-person", "POST", "/api/people", Administer, "Add someone; answers with a one-time sign-in link"},
		{"leave", "POST", "/api/people/{who}/leave", Administer,
			"Say that somebody does not work here any more, or dissolve a team: their tokens and sessions end"},
		{"invite-person", "POST", "/api/people/{who}/link", Administer, "Make a new one-time sign-in link"},
		{"return", "POST", "/api/people/{who}/return", Administer, "Say that somebody works here again"},
		{"sign-out-person", "POST", "/api/people/{who}/sign-out", Administer,
			"End all sessions and unused sign-in links of somebody"},
		{"sign-in", "POST", "/api/session", SignIn, "Open a session with a one-time link"},
		{"sign-out", "DELETE", "/api/session", Anyone, "End the session"},
		{"list-teams", "GET", "/api/teams", See, "The teams, with their members"},
		{"create-team", "POST", "/api/teams", Administer, "Make a team: people who have issues together"},
		{"change-team", "PATCH", "/api/teams/{team}", Administer, "Let people into a team, or out of it"},
		{"list-tokens", "GET", "/api/tokens", Administer, "All tokens, the newest first, without their texts"},
		{"create-token", "POST", "/api/tokens", Administer, "Make a token; its text is shown this once"},
		{"revoke-token", "DELETE", "/api/tokens/{id}", Administer, "End a token"},
	}
}

// issueRoutes are about issues.
func issueRoutes() []Route {
	return []Route{
		{"show-issue", "GET", "/api/issues/{project}/{number}", See, "One issue"},
		{"delete-issue", "DELETE", "/api/issues/{project}/{number}", MayTriage,
			"Delete an issue with its events, for good"},
		{"accept-issue", "POST", "/api/issues/{project}/{number}/accept", MayTriage,
			"Accept: it is real and somebody will see to it"},
		{"assign-issue", "POST", "/api/issues/{project}/{number}/assign", MayTriage,
			"Give it to a person; that also accepts it"},
		{"issue-beside", "GET", "/api/issues/{project}/{number}/beside", See,
			"Where else an issue's fingerprint was seen, and issues like it"},
		{"brief-issue", "GET", "/api/issues/{project}/{number}/brief", See,
			"All that a person needs to decide about an issue, in one answer"},
		{"write-comment", "POST", "/api/issues/{project}/{number}/comments", MayTriage,
			"Write a comment, in Markdown; who is mentioned, has the issue or watches it hears of it"},
		{"change-comment", "PUT", "/api/issues/{project}/{number}/comments/{comment}", MayTriage,
			"Change a comment of your own"},
		{"delete-comment", "DELETE", "/api/issues/{project}/{number}/comments/{comment}", MayTriage,
			"Take a comment of your own away"},
		{"count-only-issue", "POST", "/api/issues/{project}/{number}/count-only", MayTriage,
			"Dismiss, and keep no bodies of its events from now on"},
		{"what-goes", "GET", "/api/issues/{project}/{number}/deletion", See, "What deleting an issue would remove"},
		{"issue-differences", "GET", "/api/issues/{project}/{number}/differences", See,
			"What the events of an issue differ in, to split it by"},
		{"dismiss-issue", "POST", "/api/issues/{project}/{number}/dismiss", MayTriage,
			"Dismiss: nothing will be done"},
		{"list-issue-events", "GET", "/api/issues/{project}/{number}/events", See,
			"An issue's events, newest filed first"},
		{"show-issue-event", "GET", "/api/issues/{project}/{number}/events/{event}", See,
			"An event of an issue: newest, oldest or an id"},
		{"list-issue-feedback", "GET", "/api/issues/{project}/{number}/feedback", See,
			"What people said about an issue, newest first"},
		{"fix-issue", "POST", "/api/issues/{project}/{number}/fix", MayTriage,
			"Say in what it is fixed: in a release, in the next one, by a commit, as of now"},
		{"issue-history", "GET", "/api/issues/{project}/{number}/history", See,
			"What happened to an issue, newest first"},
		{"likely-changes", "GET", "/api/issues/{project}/{number}/likely", See,
			"The commits that may have brought an issue, and who changed the origin's line last"},
		{"merge-issue", "POST", "/api/issues/{project}/{number}/merge", MayTriage,
			"Merge it, and others, into another issue; undo takes it back"},
		{"propose-owners", "GET", "/api/issues/{project}/{number}/owners", See, "Who may have an issue, and why"},
		{"park-issue", "POST", "/api/issues/{project}/{number}/park", MayTriage,
			"Park until something wakes it: a time, more events or users, a doubled rate, the next release, a new environment"},
		{"reopen-issue", "POST", "/api/issues/{project}/{number}/reopen", MayTriage, "Open it again"},
		{"severity-issue", "POST", "/api/issues/{project}/{number}/severity", MayTriage,
			"Raise or lower its severity"},
		{"issue-since", "GET", "/api/issues/{project}/{number}/since", See,
			"Since when: an issue's days with releases, deploys and decisions, and what its silence means"},
		{"split-issue", "POST", "/api/issues/{project}/{number}/split", MayTriage,
			"Split off the events that have a difference; undo takes it back"},
		{"issue-together", "GET", "/api/issues/{project}/{number}/together", See,
			"Issues that happen together with an issue: same user, session or trace within a minute, against chance"},
		{"undo-issue", "POST", "/api/issues/{project}/{number}/undo", MayTriage,
			"Undo the newest change: a decision, or what happened by itself"},
		{"watch-issue", "PUT", "/api/issues/{project}/{number}/watch", See, "Hear of what happens to an issue"},
		{"unwatch-issue", "DELETE", "/api/issues/{project}/{number}/watch", See, "Hear of it no more"},
		{"list-notices", "GET", "/api/notices", Anyone,
			"What you should hear of: issues that you have or watch coming back, waking, decided about or commented on by others, and comments that mention you"},
		{"see-notices", "POST", "/api/notices/seen", Anyone, "Say that you have seen your notices up to one"},
		{"list-carriers", "GET", "/api/owners", See, "Who has what, whoever carries most first"},
		{"hand-over", "POST", "/api/owners/hand-over", MayTriage,
			"Give all that a person has, open or parked, to another one"},
		{"list-issues", "GET", "/api/projects/{project}/issues", See, "A project's issues"},
		{"act-on-many", "POST", "/api/projects/{project}/issues/act", MayTriage,
			"Decide about many issues: those of a filter, or those named"},
		{"undo-many", "POST", "/api/projects/{project}/issues/undo", MayTriage,
			"Take a decision about many issues back"},
		{"show-round", "GET", "/api/round", See, "What needs a decision of yours, and why"},
		{"begin-round", "POST", "/api/round", MayTriage, "Begin a round, or go on with the one under way"},
		{"end-round", "POST", "/api/round/end", MayTriage, "End your round, and sum it up"},
		{"pass-in-round", "POST", "/api/round/pass", MayTriage,
			"Say that you have seen issues and leave them as they are: they come again when something happens"},
	}
}

// eventRoutes are about events, sessions, feedback.
func eventRoutes() []Route {
	return []Route{
		{"list-events", "GET", "/api/projects/{project}/events", See, "A project's events, newest filed first"},
		{"show-event", "GET", "/api/projects/{project}/events/{event}", See, "One event"},
		{"list-feedback", "GET", "/api/projects/{project}/feedback", See, "What people said, newest first"},
		{"count-sessions", "GET", "/api/projects/{project}/session-counts", See,
			"How many sessions ended how, by release and environment"},
		{"list-sessions", "GET", "/api/projects/{project}/sessions", See, "Runs of the application, newest first"},
		{"show-session", "GET", "/api/projects/{project}/sessions/{session}", See, "One session and its events"},
		{"show-trace", "GET", "/api/traces/{trace}", Anyone,
			"All events of a trace, across projects, in the order they were thrown"},
	}
}

// releaseRoutes are about symbols, releases and code.
func releaseRoutes() []Route {
	return []Route{
		{"who-changed-line", "GET", "/api/projects/{project}/line", See, "Who changed a line of a trace last"},
		{"show-release", "GET", "/api/projects/{project}/release", See,
			"One release: what is new in it, came back in it, was fixed in it; its deploys and sessions"},
		{"mark-deployed", "POST", "/api/projects/{project}/release/deploys", Announce,
			"Say that a release was deployed to an environment"},
		{"order-releases", "GET", "/api/projects/{project}/release/order", See,
			"How two releases stand to each other, and why"},
		{"list-releases", "GET", "/api/projects/{project}/releases", See, "A project's releases, the newest first"},
		{"announce-release", "POST", "/api/projects/{project}/releases", Announce, "Say that a build made a release"},
		{"show-repository", "GET", "/api/projects/{project}/repository", Announce,
			"What is known of a project's code: up to which commits its history was sent"},
		{"list-symbols", "GET", "/api/projects/{project}/symbols", See,
			"What was pushed, newest first, and what it takes by release"},
		{"push-symbols", "POST", "/api/projects/{project}/symbols", PushSymbol,
			"Say which contents the files of a release have"},
		{"check-symbols", "GET", "/api/projects/{project}/symbols/check", See,
			"Whether the traces of a release, or of one event, can be read, and why not"},
		{"missing-symbols", "POST", "/api/projects/{project}/symbols/missing", PushSymbol,
			"Which contents the project does not hold yet"},
		{"unread-releases", "GET", "/api/projects/{project}/symbols/unread", See,
			"Releases whose traces cannot be read for want of symbols"},
	}
}

// groupingRoutes are about grouping and rules.
func groupingRoutes() []Route {
	return []Route{
		{"why-grouped", "GET", "/api/projects/{project}/grouping", See,
			"Why an event is grouped as it is, or where two first differ"},
		{"review-grouping", "GET", "/api/projects/{project}/grouping/review", See,
			"What of a project is grouped badly, with a rule suggested for each"},
		{"suggest-rules", "GET", "/api/projects/{project}/grouping/review/{finding}/rules", See,
			"The project's rules with the rule that a finding of the review suggests"},
		{"adopt-grouping", "PUT", "/api/projects/{project}/grouping/version", PushRules,
			"Adopt another grouping version for what comes; nothing regroups by that"},
		{"show-regroupings", "GET", "/api/projects/{project}/regroupings", See,
			"How a project's events are grouped, and how stored ones were regrouped"},
		{"begin-regrouping", "POST", "/api/projects/{project}/regroupings/begin", MayTriage,
			"Group the stored events by the rules and the version there are now, in the background"},
		{"stop-regrouping", "POST", "/api/projects/{project}/regroupings/stop", MayTriage,
			"End a regrouping that only reads yet"},
		{"undo-regrouping", "POST", "/api/projects/{project}/regroupings/undo", MayTriage,
			"Take the last regrouping back, with the rules and the version before it"},
		{"show-rules", "GET", "/api/projects/{project}/rules", CheckRules, "A project's rules file"},
		{"push-rules", "PUT", "/api/projects/{project}/rules", PushRules,
			"Put a rules file in the place of the one there is"},
		{"check-rules", "POST", "/api/projects/{project}/rules/check", CheckRules, "What is wrong with a rules file"},
		{"list-rules", "GET", "/api/projects/{project}/rules/history", See,
			"The versions of a project's rules file, with who changed what"},
		{"try-rules", "POST", "/api/projects/{project}/rules/try", SeeEvents,
			"What a rules file, or another grouping version, would have done to stored events"},
		{"watch-rules-trial", "POST", "/api/projects/{project}/rules/try/live", SeeEvents,
			"The same as a stream of server-sent events: progress, then tried or problem; ending the request cancels the trial"},
		{"list-rule-words", "GET", "/api/rules/words", Anyone, "What rules can use"},
	}
}

// projectRoutes are about projects.
func projectRoutes() []Route {
	return []Route{
		{"show-overview", "GET", "/api/overview", See,
			"How every project stands: trend, open and new issues, newest release, what is wrong"},
		{"list-projects", "GET", "/api/projects", See, "All projects"},
		{"create-project", "POST", "/api/projects", Administer, "Create a project with its first ingest key"},
		{"show-project", "GET", "/api/projects/{project}", See, "One project"},
		{"change-project", "PATCH", "/api/projects/{project}", Administer,
			"Change how long events are kept, the allowance, the origins, which log records become events"},
		{"erase-user", "POST", "/api/projects/{project}/erasures", Administer,
			"Forget a user: bodies that hold them go, counts stay"},
		{"show-erasure", "GET", "/api/projects/{project}/erasures/{id}", Administer, "How far an erasure is"},
		{"show-scoring", "GET", "/api/projects/{project}/impact", See,
			"By what issues are scored, and when they surge"},
		{"change-scoring", "PUT", "/api/projects/{project}/impact", MayTriage,
			"Change by what issues are scored, or when they surge; all are scored anew"},
		{"try-scoring", "POST", "/api/projects/{project}/impact/trial", See,
			"The list as it is, and as it would be by other weights"},
		{"list-keys", "GET", "/api/projects/{project}/keys", See, "A project's ingest keys"},
		{"create-key", "POST", "/api/projects/{project}/keys", Administer, "Another ingest key"},
		{"revoke-key", "POST", "/api/projects/{project}/keys/{key}/revoke", Administer,
			"Make a key good for nothing, at once"},
		{"rotate-key", "POST", "/api/projects/{project}/keys/{key}/rotate", Administer,
			"A key in the place of another, which stays good for a while"},
		{"show-received", "GET", "/api/projects/{project}/received", See,
			"What came in and what became of it, by hour"},
		{"set-up", "GET", "/api/projects/{project}/set-up", See,
			"How an application is set up to report, with the project's own key"},
	}
}

// serviceRoutes are about the service.
func serviceRoutes() []Route {
	return []Route{
		{"list-audit", "GET", "/api/audit", Administer, "Who did what, when, from where, newest first"},
		{"verify-audit", "GET", "/api/audit/verification", Administer, "Whether the audit is as it was written"},
		{"show-queue", "GET", "/api/queue", Administer, "What waits to be filed, and what could not be"},
		{"discard-event", "POST", "/api/queue/{id}/discard", Administer,
			"Let go of an event that was set aside; it is counted"},
		{"retry-event", "POST", "/api/queue/{id}/retry", Administer, "File an event that was set aside again"},
		{"recount", "GET", "/api/recount", Administer, "Compare every counter with the rows it stands for"},
		{"repair", "POST", "/api/recount", Administer,
			"Make every counter that differs anew from its rows, then compare again"},
		{"status", "GET", "/api/status", See, "Is all well"},
	}
}

// Streams is the table of the calls that are in no document: their bodies are no
// JSON of a call.
func Streams() []Route {
	return []Route{
		{"push-symbol-content", "POST", "/api/projects/{project}/symbols/content", PushSymbol,
			"Take in source maps and sources"},
		{"push-bundle", "POST", "/api/projects/{project}/repository/bundle", Announce,
			"Take in a git bundle: a project's history up to a commit"},
		{"live", "GET", "/api/live", See, "A stream of what changes"},
		{"rules-schema", "GET", "/api/rules.schema.json", Anyone, "The form of rules files"},
		{"export-audit", "GET", "/api/audit/export", Administer, "All that the audit holds, as lines of JSON"},
		{"metrics", "GET", "/metrics", See, "What the service measures of itself"},
	}
}
