package calls

import "firethorn/internal/core/access"

// alertRoutes are about alerts, destinations, deliveries and notice settings.
func alertRoutes() []Route {
	return []Route{
		{
			"list-destinations",
			"GET",
			"/api/destinations",
			access.ReadService,
			"Where messages can go, and whether they arrive",
		},
		{"create-destination", "POST", "/api/destinations", access.ChangeDestinations,
			"Make a destination; the secret of a webhook is shown once"},
		{"show-destination", "GET", "/api/destinations/{name}", access.ReadService, "One destination"},
		{"change-destination", "PATCH", "/api/destinations/{name}", access.ChangeDestinations,
			"Change a destination; what is absent stays"},
		{"remove-destination", "DELETE", "/api/destinations/{name}", access.ChangeDestinations,
			"Remove a destination; messages that wait for it are cancelled"},
		{"test-destination", "POST", "/api/destinations/{name}/test", access.ChangeDestinations,
			"Send a message marked as a test, and return the result"},
		{
			"list-deliveries",
			"GET",
			"/api/deliveries",
			access.ReadService,
			"Messages on their way, and those that arrived",
		},
		{"show-delivery", "GET", "/api/deliveries/{id}", access.ReadService, "One message, with its tries"},
		{
			"retry-delivery",
			"POST",
			"/api/deliveries/{id}/retry",
			access.ChangeDestinations,
			"Try a message again, now",
		},
		{"list-alerts", "GET", "/api/projects/{project}/alerts", access.ReadIssues,
			"The alert rules, and each alert with the messages it sent or why it sent none"},
		{"pause-alert", "POST", "/api/projects/{project}/alerts/pause", access.PushRules,
			"Pause an alert rule until a time"},
		{"resume-alert", "POST", "/api/projects/{project}/alerts/resume", access.PushRules, "End a pause"},
		{"make-ticket", "POST", "/api/issues/{project}/{number}/tickets", access.TriageIssues,
			"Make a ticket for an issue, or link one that is there"},
		{"unlink-ticket", "DELETE", "/api/issues/{project}/{number}/tickets", access.TriageIssues,
			"Unlink a ticket from an issue; the ticket stays as it is"},
		{"list-trackers", "GET", "/api/projects/{project}/trackers", access.ReadIssues,
			"The trackers in which a project can make tickets"},
		{"list-alert-pauses", "GET", "/api/alert-pauses", access.ReadService, "Alert rules that are paused now"},
		{"show-notice-settings", "GET", "/api/me/notices", Anyone, "How you get each kind of notice"},
		{"change-notice-settings", "PATCH", "/api/me/notices", Anyone, "Change how you get notices"},
	}
}
