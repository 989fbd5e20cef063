package impact

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"firethorn/internal/core/problem"
)

// The parts of a score, in the order they are shown.
const (
	usersPart = iota
	sharePart
	frequencyPart
	momentumPart
	unhandledPart
	newestPart
	regressedPart
	severityPart
	parts
)

// Parts names the parts of a score, in the order they are shown.
var Parts = [parts]string{"users", "share", "frequency", "momentum", "unhandled", "newest", "regressed", "severity"}

// Weights say how much each part can give, in the order of Parts. They are
// relative: the score makes them add up to 100.
type Weights [parts]float64

// Default are the weights of a project that has not said otherwise.
var Default = Weights{usersPart: 40, sharePart: 12, frequencyPart: 14, momentumPart: 8, unhandledPart: 6, newestPart: 6,
	regressedPart: 8, severityPart: 6}

// maxWeight is the largest weight there is.
const maxWeight = 1000

func (w Weights) sum() (all float64) {
	for _, x := range w {
		all += x
	}
	return all
}

// Map gives the weights by the names of their parts.
func (w Weights) Map() map[string]float64 {
	out := make(map[string]float64, parts)
	for i, name := range Parts {
		out[name] = w[i]
	}
	return out
}

// With changes some of the weights. It refuses parts that there are not, what
// is no weight, and weights that are all nothing.
func (w Weights) With(change map[string]float64) (Weights, error) {
	for _, name := range slices.Sorted(maps.Keys(change)) {
		x := change[name]
		i := slices.Index(Parts[:], name)
		if i < 0 {
			return w, problem.New(problem.BadInput, "%.60q is no part of the impact; there are %s", name,
				strings.Join(Parts[:], ", "))
		}
		if math.IsNaN(x) || x < 0 || x > maxWeight {
			return w, problem.New(problem.BadInput, "the weight of %s must be a number from 0 to %d, not %v", name,
				maxWeight, x)
		}
		w[i] = x
	}
	if w.sum() <= 0 {
		return w, problem.New(problem.BadInput, "one weight at least must be more than 0: all issues would be alike")
	}
	return w, nil
}

// MarshalJSON writes the weights by name.
func (w Weights) MarshalJSON() ([]byte, error) { return json.Marshal(w.Map()) }

// UnmarshalJSON reads weights by name; those that are not named are the default.
func (w *Weights) UnmarshalJSON(raw []byte) error {
	var change map[string]float64
	if err := json.Unmarshal(raw, &change); err != nil {
		return fmt.Errorf("weights: %w", err)
	}
	got, err := Default.With(change)
	if err == nil {
		*w = got
	}
	return err
}
