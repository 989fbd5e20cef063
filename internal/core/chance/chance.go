// Package chance computes probabilities of counts.
package chance

import "gonum.org/v1/gonum/mathext"

// AtLeast is the probability that a Poisson variable with a mean is n or more.
func AtLeast(n int64, mean float64) float64 {
	switch {
	case n <= 0:
		return 1
	case mean <= 0:
		return 0
	}
	// The regularised lower incomplete gamma function, DLMF 8.2.4 and 8.4.10.
	return mathext.GammaIncReg(float64(n), mean)
}
