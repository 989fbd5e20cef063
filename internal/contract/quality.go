package contract

import "time"

// Quality is how a release does.
type Quality struct {
	Release           string               `json:"release"`
	Environment       string               `json:"environment" doc:"empty: all"`
	Sessions          QualitySessions      `json:"sessions"`
	Users             QualityUsers         `json:"users" doc:"over whole days (UTC)"`
	CrashFreeSessions ShareOf              `json:"crash_free_sessions" doc:"of those that ended; cut-off ones count as not crashed"`
	CrashFreeUsers    ShareOf              `json:"crash_free_users" doc:"users without a crashed session"`
	ErrorFreeSessions ShareOf              `json:"error_free_sessions" doc:"neither crashed nor faulty"`
	Uptake            Uptake               `json:"uptake"`
	DurationS         Quantiles            `json:"duration_s" doc:"of ended sessions, seconds, within 3.2 %"`
	DurationsS        []OutcomeTook        `json:"durations_s" nullable:"false" doc:"by how they ended"`
	Verdict           QualityVerdict       `json:"verdict"`
	Events            int64                `json:"events" doc:"of all time"`
	Issues            int64                `json:"issues" doc:"seen in it, of all time"`
	New               int64                `json:"new" doc:"issues first seen in it"`
	FirstSeen         time.Time            `json:"first_seen"`
	Deploys           []Deploy             `json:"deploys" nullable:"false"`
	Environments      []EnvironmentQuality `json:"environments,omitempty" doc:"of one release alone: each environment, those of most sessions first"`
	WithoutSessions   bool                 `json:"without_sessions,omitempty" doc:"the application sends no sessions, only events"`
}

// EnvironmentQuality is how a release does in one environment.
type EnvironmentQuality struct {
	Environment       string          `json:"environment"`
	Sessions          QualitySessions `json:"sessions"`
	CrashFreeSessions ShareOf         `json:"crash_free_sessions"`
	Verdict           QualityVerdict  `json:"verdict" doc:"compared with the same baseline in the same environment"`
}

// ReleaseIssues are the issues that a release brought.
type ReleaseIssues struct {
	Release  string         `json:"release"`
	Sessions int64          `json:"sessions" doc:"of the release, in the window"`
	Issues   []ReleaseIssue `json:"issues" nullable:"false" doc:"most affected sessions first; at most 20 new and 20 regressed ones"`
}

// ReleaseIssue is an issue and the sessions of a release that had it.
type ReleaseIssue struct {
	ID       string  `json:"id"`
	Headline string  `json:"headline"`
	State    string  `json:"state"`
	Came     string  `json:"came" enum:"new,back" doc:"new or regressed in the release"`
	Sessions int64   `json:"sessions" doc:"sessions of the release with at least one event of the issue"`
	More     bool    `json:"more,omitempty" doc:"the issue has more than 10,000 events: only the newest were read, and there may be more sessions"`
	Share    float64 `json:"share" doc:"of the release's sessions"`
	Events   int64   `json:"events" doc:"of all time"`
	Users    int64   `json:"users" doc:"of all time"`
	Impact   float64 `json:"impact"`
}

// QualitySessions are sessions by how they ended. Running ones are in all alone.
type QualitySessions struct {
	All     int64 `json:"all"`
	Clean   int64 `json:"clean"`
	Faulty  int64 `json:"faulty"`
	Crashed int64 `json:"crashed"`
	CutOff  int64 `json:"cut_off"`
	Running int64 `json:"running"`
}

// QualityUsers are users with ended sessions.
type QualityUsers struct {
	All     int64 `json:"all"`
	Crashed int64 `json:"crashed"`
}

// ShareOf is a share from 0 to 1 with its 95 % interval (Wilson).
type ShareOf struct {
	Share float64 `json:"share"`
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
}

// Uptake is the release's share of all sessions, and of all users, of the window.
type Uptake struct {
	Sessions float64 `json:"sessions"`
	Users    float64 `json:"users"`
}

// Quantiles of durations.
type Quantiles struct {
	P50 float64 `json:"p50"`
	P95 float64 `json:"p95"`
}

// OutcomeTook is how long sessions lasted that ended one way.
type OutcomeTook struct {
	Outcome string `json:"outcome"`
	Quantiles
}

// QualityVerdict says whether a release is better or worse than its baseline.
type QualityVerdict struct {
	Baseline string   `json:"baseline" doc:"empty: it is the first"`
	Result   *string  `json:"says" enum:"better,worse,no difference,too early" nullable:"true"`
	P        *float64 `json:"p" nullable:"true" doc:"valid at any time (a mixture sequential test); below 0.01 is a difference"`
	Ratio    *RatioOf `json:"ratio,omitempty" doc:"how many times as often its sessions crash"`
	Why      string   `json:"why"`
}

// RatioOf is a ratio of two rates with its 95 % interval.
type RatioOf struct {
	Value float64 `json:"value"`
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
}

// Qualities are how the releases of a window do, the newest first.
type Qualities struct {
	From     time.Time       `json:"from"`
	To       time.Time       `json:"to"`
	Sessions QualitySessions `json:"sessions" doc:"of all releases"`
	Users    int64           `json:"users" doc:"of all releases"`
	Releases []Quality       `json:"releases" nullable:"false"`
}

// UptakeSeries is how many sessions of each release began when.
type UptakeSeries struct {
	IntervalS int64           `json:"interval_s"`
	Releases  []ReleaseSeries `json:"releases" nullable:"false" doc:"those of most sessions first; an empty version: they name none"`
}

// ReleaseSeries is one release, moment by moment.
type ReleaseSeries struct {
	Release string         `json:"release"`
	Points  []SessionPoint `json:"points" nullable:"false" doc:"oldest first, without gaps"`
}

// SessionPoint is what began from a moment on until the next one.
type SessionPoint struct {
	At       time.Time `json:"at"`
	Sessions int64     `json:"sessions"`
	Ended    int64     `json:"ended"`
	Crashed  int64     `json:"crashed"`
}

// Devices are how a release's sessions ended by what they say of device, system, browser.
type Devices struct {
	Release string         `json:"release"`
	Devices []DeviceFamily `json:"devices" nullable:"false" doc:"those of most sessions first"`
}

// DeviceFamily is one value with its sessions.
type DeviceFamily struct {
	Name              string          `json:"name" doc:"device.type, os.name or browser.name"`
	Value             string          `json:"value"`
	Sessions          QualitySessions `json:"sessions"`
	CrashFreeSessions ShareOf         `json:"crash_free_sessions"`
}

// ReleaseComparison is two releases side by side.
type ReleaseComparison struct {
	A       Quality        `json:"a"`
	B       Quality        `json:"b"`
	OnlyInA []ComparedOnly `json:"only_in_a" nullable:"false"`
	OnlyInB []ComparedOnly `json:"only_in_b" nullable:"false"`
	InBoth  []ComparedBoth `json:"in_both" nullable:"false" doc:"those with most events first"`
	Verdict QualityVerdict `json:"verdict" doc:"of a, with b as the baseline"`
}

// ComparedOnly is an issue that occurred in one of two releases.
type ComparedOnly struct {
	ID              string  `json:"id"`
	Headline        string  `json:"headline"`
	State           string  `json:"state"`
	Events          int64   `json:"events"`
	Users           int64   `json:"users"`
	Per1000Sessions float64 `json:"per_1000_sessions" doc:"0 where the release has no sessions"`
}

// ComparedBoth is an issue that occurred in both releases.
type ComparedBoth struct {
	ID              string   `json:"id"`
	Headline        string   `json:"headline"`
	State           string   `json:"state"`
	Events          Pair     `json:"events"`
	Per1000Sessions PairRate `json:"per_1000_sessions"`
	Ratio           RatioOf  `json:"ratio" doc:"of the rates, a to b"`
}

// Pair is a count in each of two releases.
type Pair struct {
	A int64 `json:"a"`
	B int64 `json:"b"`
}

// PairRate is a rate in each of two releases.
type PairRate struct {
	A float64 `json:"a"`
	B float64 `json:"b"`
}

// ReleaseCheck is whether a release may go on.
type ReleaseCheck struct {
	Release    string           `json:"release"`
	Passed     bool             `json:"passed"`
	Early      bool             `json:"early" doc:"at least one condition cannot be judged yet"`
	Conditions []CheckCondition `json:"conditions" nullable:"false"`
	Quality    Quality          `json:"quality"`
}

// CheckCondition is one thing that was asked of a release.
type CheckCondition struct {
	Name   string `json:"name"`
	Passed bool   `json:"passed"`
	Early  bool   `json:"early,omitempty"`
	Result string `json:"says" doc:"the numbers"`
}
