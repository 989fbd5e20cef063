// Package alert decides whether an alert is sent, held or dropped, and names the reason. It also knows
// how deliveries are tried again, how webhooks are signed, and what messages say. It is pure: an
// occurrence and the history of sent messages in, a decision out.
//
// Reading order: decide.go (sent, held or dropped), quiet.go (times of day), retry.go (when
// a delivery is tried again), sign.go (webhook signatures), message.go (what people read),
// cloudevent.go (what programs read).
package alert

import (
	"fmt"
	"time"

	"firethorn/internal/core/rules"
)

// Did is what becomes of an alert.
type Did string

// What becomes of an alert.
const (
	Send Did = "send" // now
	Hold Did = "hold" // until a time, then sent with others as one message
	Drop Did = "drop" // never
)

// Reason names why.
type Reason string

// The reasons.
const (
	Fired         Reason = "fired"
	Paused        Reason = "paused"          // somebody paused the rule
	QuietHours    Reason = "quiet hours"     // of the rule
	TooMany       Reason = "too many"        // more than the rule sends in its time
	FiredBefore   Reason = "fired before"    // for this issue, and it was not fixed or dismissed since
	NotYetAgain   Reason = "not yet again"   // the rule repeats itself later at the earliest
	Before        Reason = "before the rule" // it happened before the rule was pushed
	NoDestination Reason = "no destination"  // nothing of this name, or not for this project
	NobodyToTell  Reason = "nobody to tell"  // no owner, watcher or member, or they do not want it
	NoMail        Reason = "no mail"         // the service has no destination for mail
)

// Burst bounds a rule that says nothing else: a deployment that makes a thousand issues come
// back sends one message that lists them.
var Burst = rules.AtMost{Messages: 10, Within: time.Minute}

// Asked is an alert about which is decided.
type Asked struct {
	Rule    *rules.AlertRule
	Trigger string // what the issue became, or "threshold"
	At      time.Time
}

// Past is what is known of a rule.
type Past struct {
	Since       time.Time   // when the rule was pushed
	PausedUntil time.Time   // zero: not paused
	FiredAt     time.Time   // for this issue and trigger; zero: never
	ClosedAt    time.Time   // when the issue was fixed or dismissed last; zero: never
	Sent        []time.Time // what the rule sent to this destination lately, in any order
	HeldUntil   time.Time   // messages of the rule to this destination are held until then; zero: none is
}

// Decision is what becomes of an alert, and why.
type Decision struct {
	Did    Did
	Reason Reason
	Until  time.Time // of Hold
}

// String is the decision in words.
func (d Decision) String() string {
	if d.Did == Hold {
		return fmt.Sprintf("held until %s: %s", d.Until.UTC().Format("2006-01-02 15:04 MST"), d.Reason)
	}
	return fmt.Sprintf("%s: %s", map[Did]string{Send: "sent", Drop: "not sent"}[d.Did], d.Reason)
}

// Fires says whether a rule fires for an issue at all, no matter who is notified. The first reason
// that holds is given.
func Fires(a Asked, p Past) Decision {
	once := a.Trigger == "threshold" || a.Trigger == "surging"
	switch {
	case !p.Since.IsZero() && a.At.Before(p.Since):
		return Decision{Did: Drop, Reason: Before}
	case p.PausedUntil.After(a.At):
		return Decision{Did: Drop, Reason: Paused}
	case p.FiredAt.IsZero():
	case a.Rule.Again > 0 && a.Trigger != "commented" && a.At.Sub(p.FiredAt) < a.Rule.Again:
		return Decision{Did: Drop, Reason: NotYetAgain}
	case a.Rule.Again == 0 && once && !p.ClosedAt.After(p.FiredAt):
		return Decision{Did: Drop, Reason: FiredBefore}
	}
	return Decision{Did: Send, Reason: Fired}
}

// Decide says what becomes of an alert that fires, for one destination: it may be held for
// quiet hours, or since the rule has sent too much.
func Decide(a Asked, p Past) Decision {
	if q := a.Rule.Quiet; q != nil {
		if until := QuietUntil(q, a.At); !until.IsZero() {
			return Decision{Did: Hold, Reason: QuietHours, Until: until}
		}
	}
	if p.HeldUntil.After(a.At) { // it may not arrive before those
		return Decision{Did: Hold, Reason: TooMany, Until: p.HeldUntil}
	}
	for _, m := range []*rules.AtMost{a.Rule.AtMost, &Burst} {
		if m == nil {
			continue
		}
		oldest, n := a.At, 0
		for _, at := range p.Sent {
			if a.At.Sub(at) < m.Within {
				n++
				if at.Before(oldest) {
					oldest = at
				}
			}
		}
		if n >= m.Messages {
			return Decision{Did: Hold, Reason: TooMany, Until: oldest.Add(m.Within)}
		}
	}
	return Decision{Did: Send, Reason: Fired}
}
