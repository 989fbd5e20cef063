// Package crew plans who sails on which ship.
package crew

import (
	"context"
	"errors"
	"fmt"
)

// rota is who sails when, by ship and week.
var rota = map[string][]string{"Eider": {"Ines Marlow", "Tam Orrin"}, "Kittiwake": {"Sunniva Bray"}}

// StaleError says that a plan was changed by somebody else.
type StaleError struct{ Ship string }

func (e *StaleError) Error() string { return "the plan was changed meanwhile" }

// ErrNoCrew says that nobody is there for a ship.
var ErrNoCrew = errors.New("no crew for this ship")

// Assign finds the crew of a ship.
func Assign(_ context.Context, ship string) ([]string, error) {
	names, ok := rota[ship]
	if !ok {
		return nil, fmt.Errorf("assigning: %w", ErrNoCrew)
	}
	return names, nil
}

// Watch is who has a watch. A week that is over has none.
func Watch(_ context.Context, ship string, watch int) string {
	return rota[ship][watch]
}

// HandOver gives a ship's plan to the next week.
func HandOver(_ context.Context, ship string) error {
	return fmt.Errorf("handing over %s: %w", ship, &StaleError{ship})
}
