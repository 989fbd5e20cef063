package contract

// SplitBy is what a part of an issue's events has and the others have not.
type SplitBy struct {
	By    string `json:"by" enum:"frame,message,attribute" doc:"what it looks at: whether an own function is on the stack, the form of the message, or an attribute of the event or its resource"`
	Name  string `json:"name,omitempty" maxLength:"200" doc:"of the attribute"`
	Value string `json:"value" maxLength:"1000" doc:"the function, alone or behind its file; the message, whose form is taken; the attribute's value, empty where it is absent"`
}

// DifferenceFound is a difference that a sample of an issue's events shows.
type DifferenceFound struct {
	SplitBy
	Words   string `json:"words" doc:"the difference as a sentence"`
	Events  int    `json:"events" doc:"how many of the events looked at have it"`
	Whole   bool   `json:"whole" doc:"fingerprints say so themselves, so that events without a body go along"`
	Command string `json:"command" doc:"what splits by it"`
}

// Differences are what the kept events of an issue differ in.
type Differences struct {
	Issue       string            `json:"issue"`
	Looked      int               `json:"looked" doc:"how many kept events were looked at: those of its largest variants, and the newest"`
	Differences []DifferenceFound `json:"differences" nullable:"false" doc:"frames first, then messages, then attributes; of each what most have"`
}

// SplitOf is a split that an issue is a side of.
type SplitOf struct {
	From    string `json:"from" doc:"the issue that the part was taken out of"`
	To      string `json:"to" doc:"the part, an issue of its own"`
	Words   string `json:"words" doc:"what the part's events have in common"`
	Looking bool   `json:"looking,omitempty" doc:"kept events are being looked through"`
	Looked  int64  `json:"looked" doc:"how many kept events were looked at"`
	Stays   int64  `json:"stays" doc:"stored events without a body: it is not known whether they have the difference, and they stay"`
}
