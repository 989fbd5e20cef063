package alert

import (
	"strconv"
	"time"
)

// pauses are how long a delivery waits after each failed try; then it is tried hourly.
var pauses = []time.Duration{2 * time.Second, 10 * time.Second, time.Minute, 5 * time.Minute, 30 * time.Minute}

// GiveUpAfter is for how long a delivery is tried. While its destination is paused this time
// stands still.
const GiveUpAfter = 24 * time.Hour

// Bounds of a destination that fails: after both it is paused, and probed from time to time.
const (
	PauseAfter = time.Hour
	PauseTries = 50
	ProbeEvery = 5 * time.Minute
)

// MaxWaiting is how many messages that waited for a paused destination are sent one by one;
// more become one summary.
const MaxWaiting = 20

// Retry says when a delivery is tried again that failed tries times: jitter, from 0 to 1,
// moves it by up to a tenth; after is what the receiver asked to wait.
func Retry(tries int, jitter float64, after time.Duration) time.Duration {
	pause := time.Hour
	if tries >= 1 && tries <= len(pauses) {
		pause = pauses[tries-1]
	}
	pause += time.Duration(float64(pause) * 0.1 * jitter)
	return max(pause, min(after, GiveUpAfter))
}

// Final says whether an HTTP answer means that no later try will succeed.
func Final(status int) bool {
	return status >= 300 && status < 500 && status != 408 && status != 425 && status != 429
}

// RetryAfter reads the header Retry-After (RFC 9110, section 10.2.3): seconds or a date.
func RetryAfter(header string, now time.Time) time.Duration {
	if n, err := strconv.Atoi(header); err == nil && n >= 0 {
		return time.Duration(n) * time.Second
	}
	if at, err := time.Parse(time.RFC1123, header); err == nil {
		return max(0, at.Sub(now))
	}
	return 0
}
