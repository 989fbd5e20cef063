package contract

// Why says why an event is grouped as it is, and, beside another one, where
// they first differ.
type Why struct {
	EventWhy
	Other    *EventWhy        `json:"other,omitempty" doc:"the other event"`
	Together bool             `json:"together" doc:"whether both have one fingerprint; true when there is no other"`
	Differ   *GroupDifference `json:"differ,omitempty" doc:"the first part in which they differ"`
}

// EventWhy is what one event's fingerprint was made from.
type EventWhy struct {
	Event       string `json:"event"`
	Issue       string `json:"issue" doc:"the issue it is in: another than the fingerprint's where people moved it"`
	Fingerprint string `json:"fingerprint"`
	Version     int    `json:"grouping_version"`
	Headline    string `json:"headline"`
	Parts       []Part `json:"parts" nullable:"false" doc:"the parts that were used, in order"`
	LeftOut     []Part `json:"left_out" nullable:"false" doc:"what was considered and left out, and why"`
	Application string `json:"application" doc:"the effect of the application's grouping field"`
	Assigned    string `json:"filed" doc:"how it was assigned to its issue"`
}

// GroupDifference is the first part in which two fingerprints differ.
type GroupDifference struct {
	What  string `json:"what"`
	This  string `json:"this" doc:"empty where it has no such part"`
	Other string `json:"other"`
}

// Part is one thing the fingerprint was made from, or that was left out of it.
type Part struct {
	// "type", "module", "function", "through", "message", "script", "application", "rule"; of what
	// was left out also "position", "own frames" …
	What  string `json:"what"`
	Value string `json:"value"`          // as it was used
	Why   string `json:"why"`            // why it counts, or does not
	From  string `json:"from,omitempty"` // the frame or text it was taken from: "format src/fares.ts:15"
}
