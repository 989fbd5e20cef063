package accounts

// Actor is who does something: a kind and a number in it. The name is for
// display, and two actors may have the same.
type Actor struct {
	Kind string // "person", "token", "rule", "tracker" or "service"
	ID   int64  // of the person, token or tracker; 0 for the others
	Name string
}

// Same says whether two actors are the same one.
func (a Actor) Same(b Actor) bool { return a.Kind == b.Kind && a.ID == b.ID && a.ID != 0 }

// Service is the actor of what happens by itself.
var Service = Actor{Kind: "service"}

// Tracker is the kind of a tracker of tickets: what happened there was taken over here.
const Tracker = "tracker"
