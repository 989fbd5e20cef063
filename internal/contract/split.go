package contract

// SplitBy is what a part of an issue's events has and the others have not.
type SplitBy struct {
	By    string `json:"by" enum:"frame,message,attribute" doc:"what it compares: an own function on the stack, the form of the message, or an attribute of the event or its resource"`
	Name  string `json:"name,omitempty" maxLength:"200" doc:"of the attribute"`
	Value string `json:"value" maxLength:"1000" doc:"the function, alone or after its file; the message, compared by its form; the attribute's value, empty where it is absent"`
}

// DifferenceFound is a difference that a sample of an issue's events shows.
type DifferenceFound struct {
	SplitBy
	Text    string `json:"words" doc:"the difference as a sentence"`
	Events  int    `json:"events" doc:"how many of the compared events have it"`
	Whole   bool   `json:"whole" doc:"the fingerprints decide, so events without a body move too"`
	Command string `json:"command" doc:"the condition to split by"`
}

// Differences are what the kept events of an issue differ in.
type Differences struct {
	Issue       string            `json:"issue"`
	Looked      int               `json:"looked" doc:"how many stored events were compared: those of its largest variants, and the newest"`
	Differences []DifferenceFound `json:"differences" nullable:"false" doc:"frames, then messages, then attributes; the most frequent first"`
}

// SplitOf is a split that an issue is a side of.
type SplitOf struct {
	From    string `json:"from" doc:"the issue that the part was split from"`
	To      string `json:"to" doc:"the part, an issue of its own"`
	Text    string `json:"words" doc:"what the part's events have in common"`
	Looking bool   `json:"looking,omitempty" doc:"stored events are being compared"`
	Looked  int64  `json:"looked" doc:"how many stored events were compared"`
	Stays   int64  `json:"stays" doc:"stored events without a body: it is not known whether they have the difference, and they stay"`
}
