package contract

import "time"

// Destination is where messages go.
type Destination struct {
	Name         string           `json:"name"`
	Kind         string           `json:"kind" enum:"webhook,mail,chat,pager,tickets"`
	URL          string           `json:"url,omitempty" doc:"operators alone see it"`
	Projects     []string         `json:"projects,omitempty" doc:"that may use it; absent: all"`
	From         string           `json:"from,omitempty" doc:"of mail"`
	To           []string         `json:"to,omitempty" doc:"of mail: addresses; absent: it serves people"`
	ServesPeople bool             `json:"serves_people,omitempty" doc:"mail to people, in the way each of them chose; rules cannot name it"`
	User         string           `json:"user,omitempty" doc:"of mail: signs in with the secret as its password"`
	Insecure     bool             `json:"insecure,omitempty" doc:"of mail: without TLS, to a server inside"`
	Template     string           `json:"template,omitempty" doc:"of chat: JSON with {{text}} within a text"`
	Receiver     string           `json:"receiver,omitempty" doc:"of pager: the label receiver of each alert"`
	Description  string           `json:"description,omitempty" doc:"of tickets: how the tracker's API is used, YAML"`
	HookURL      string           `json:"hook_url,omitempty" doc:"of tickets: where the tracker sends its webhooks"`
	AllowInside  string           `json:"allow_inside,omitempty" doc:"HOST:PORT inside the network that it may reach"`
	State        string           `json:"state" enum:"ready,failing,paused"`
	FailingSince *time.Time       `json:"failing_since,omitempty"`
	Paused       *time.Time       `json:"paused,omitempty"`
	NextProbe    *time.Time       `json:"next_probe,omitempty"`
	Created      time.Time        `json:"created"`
	CreatedBy    string           `json:"created_by"`
	LastWeek     map[string]int64 `json:"last_week" nullable:"false" doc:"deliveries of seven days by state"`
	Secret       string           `json:"secret,omitempty" doc:"of a webhook: what messages are signed with; of tickets: what the tracker signs its webhooks with; shown once, when it is made"`
}

// Destinations are all destinations.
type Destinations struct {
	Destinations []Destination `json:"destinations" nullable:"false"`
}

// RemovedDestination says which destination was removed.
type RemovedDestination struct {
	Removed string `json:"removed"`
}

// SetDestination makes a destination, or changes one: absent fields stay as they are.
type SetDestination struct {
	Name        string    `json:"name,omitempty" maxLength:"60"`
	Kind        string    `json:"kind,omitempty" maxLength:"20"`
	URL         *string   `json:"url,omitempty" maxLength:"2000"`
	Secret      *string   `json:"secret,omitempty" maxLength:"200" doc:"of mail: the password; of tickets: {{secret}} of the description"`
	Projects    *[]string `json:"projects,omitempty" doc:"an empty list: all"`
	From        *string   `json:"from,omitempty" maxLength:"300"`
	To          *[]string `json:"to,omitempty"`
	User        *string   `json:"user,omitempty" maxLength:"200"`
	Insecure    *bool     `json:"insecure,omitempty"`
	Template    *string   `json:"template,omitempty" maxLength:"4000"`
	Receiver    *string   `json:"receiver,omitempty" maxLength:"100"`
	Description *string   `json:"description,omitempty" maxLength:"40000" doc:"of tickets"`
	AllowInside *string   `json:"allow_inside,omitempty" maxLength:"200"`
	NewSecret   bool      `json:"new_secret,omitempty" doc:"of a webhook and of tickets: sign with another secret, which is shown once"`
}

// Delivery is one message to one destination.
type Delivery struct {
	ID          string     `json:"id"`
	Destination string     `json:"destination"`
	Person      string     `json:"person,omitempty" doc:"who gets the mail"`
	Project     string     `json:"project,omitempty"`
	Issue       string     `json:"issue,omitempty"`
	Rule        string     `json:"rule,omitempty"`
	Type        string     `json:"type"`
	Subject     string     `json:"subject"`
	State       string     `json:"state" enum:"waiting,sent,failed,held,summarised,cancelled"`
	Attempts    int        `json:"attempts"`
	Created     time.Time  `json:"created"`
	Due         *time.Time `json:"due,omitempty" doc:"when it is tried next, or sent with others"`
	Sent        *time.Time `json:"sent"`
}

// Deliveries are a page of deliveries.
type Deliveries struct {
	Deliveries []Delivery `json:"deliveries" nullable:"false" doc:"newest first"`
	Next       string     `json:"next,omitempty"`
}

// DeliveryDetail is a delivery with its tries.
type DeliveryDetail struct {
	Delivery
	Tries []DeliveryTry `json:"tries" nullable:"false" doc:"oldest first"`
	Body  string        `json:"body,omitempty" doc:"the message"`
}

// DeliveryTry is one try.
type DeliveryTry struct {
	Time   time.Time `json:"time"`
	TookMS int64     `json:"took_ms"`
	Status int       `json:"status" doc:"of HTTP or SMTP; 0: there was no answer"`
	Answer string    `json:"answer" doc:"its first 500 bytes"`
	Error  string    `json:"error,omitempty"`
}

// Alert is something that happened and matched alert rules, with its result for each of them.
type Alert struct {
	ID      int64          `json:"id"`
	Issue   string         `json:"issue,omitempty"`
	What    string         `json:"what" doc:"what the issue became, threshold, release.worse or symbols.missing"`
	Why     string         `json:"why"`
	At      time.Time      `json:"at"`
	Outcome []AlertOutcome `json:"outcome" nullable:"false"`
}

// AlertOutcome is what became of one rule and one receiver.
type AlertOutcome struct {
	Rule string `json:"rule"`
	To   string `json:"to,omitempty" doc:"a destination or a person"`
	Did  string `json:"did" enum:"sent,held,not sent"`
	Why  string `json:"why"`
}

// Alerts are a page of them, with the project's rules.
type Alerts struct {
	Alerts []Alert     `json:"alerts" nullable:"false" doc:"newest first"`
	Next   string      `json:"next,omitempty"`
	Rules  []AlertRule `json:"rules" nullable:"false"`
}

// AlertRule is an alert rule as it acts.
type AlertRule struct {
	Name    string     `json:"name"`
	When    string     `json:"when"`
	To      []string   `json:"to" nullable:"false"`
	Limits  string     `json:"limits,omitempty" doc:"thresholds, quiet hours and the like, in words"`
	Default bool       `json:"default,omitempty" doc:"the rules file has no section alerts; this one acts in its place"`
	Paused  *time.Time `json:"paused_until,omitempty"`
	By      string     `json:"paused_by,omitempty"`
	Off     bool       `json:"off,omitempty" doc:"it was switched off since it cost too much"`
}

// AlertPause is a rule that is paused until a time.
type AlertPause struct {
	Project string    `json:"project"`
	Rule    string    `json:"rule"`
	Until   time.Time `json:"until"`
	By      string    `json:"by"`
}

// AlertPauses are the rules that are paused now.
type AlertPauses struct {
	Pauses []AlertPause `json:"pauses" nullable:"false"`
}

// PauseAlert pauses a rule.
type PauseAlert struct {
	Rule  string    `json:"rule" maxLength:"60"`
	Until time.Time `json:"until"`
}

// ResumeAlert ends a pause.
type ResumeAlert struct {
	Rule string `json:"rule" maxLength:"60"`
}

// Wishes are a person's notice settings.
type Wishes struct {
	Zone    string            `json:"zone" doc:"a time zone such as Europe/Lisbon; empty: UTC"`
	Notices map[string]string `json:"notices" nullable:"false" doc:"for each kind of notice: mail, digest or console"`
	Mail    bool              `json:"mail" doc:"the service can send mail to people"`
}

// SetWishes changes some of them.
type SetWishes struct {
	Zone    *string           `json:"zone,omitempty" maxLength:"64"`
	Notices map[string]string `json:"notices,omitempty"`
}
