package contract

import "time"

// Ticket is a tracker's ticket for an issue.
type Ticket struct {
	Destination string     `json:"destination" doc:"the tracker"`
	Key         string     `json:"key"`
	Link        string     `json:"link,omitempty"`
	State       string     `json:"state" enum:"open,closed,unknown,gone"`
	Status      string     `json:"status,omitempty" doc:"the state as the tracker calls it"`
	Follows     string     `json:"follows,omitempty" enum:"here,there" doc:"the side that is behind the other"`
	Trouble     string     `json:"trouble,omitempty" doc:"its problem, as a sentence"`
	Read        *time.Time `json:"read,omitempty" doc:"when it was read last"`
}

// MakeTicket makes a ticket, or links one that is there already.
type MakeTicket struct {
	In      string `json:"in" maxLength:"60" doc:"a destination of the kind tickets"`
	Key     string `json:"key,omitempty" maxLength:"200" doc:"link this ticket, and create none"`
	Another bool   `json:"another,omitempty" doc:"create one although another is open"`
}

// Ticketed says what came of it.
type Ticketed struct {
	Issue    string    `json:"issue"`
	Tickets  []Ticket  `json:"tickets" nullable:"false" doc:"of the issue, now"`
	Delivery *Delivery `json:"delivery,omitempty" doc:"the message to the tracker; waiting: it is tried again"`
	Text     string    `json:"said" doc:"what was done, as a sentence"`
}

// Trackers are where a project can make tickets.
type Trackers struct {
	Trackers []string `json:"trackers" nullable:"false" doc:"names of destinations"`
}
