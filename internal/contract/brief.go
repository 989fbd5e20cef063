package contract

// Brief is everything a person needs to decide about an issue, in one answer.
type Brief struct {
	Issue   IssueDetail   `json:"issue"`
	Event   *Event        `json:"event,omitempty" doc:"the newest that is kept"`
	History History       `json:"history"`
	Owners  Owners        `json:"owners"`
	Likely  LikelyChanges `json:"likely"`
	Beside  Beside        `json:"beside"`
}
