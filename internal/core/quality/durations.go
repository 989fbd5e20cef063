package quality

import (
	"math/bits"
	"slices"
)

// steps is by how many buckets a duration may grow until it is twice as long: buckets are
// 1/16 of their power of two wide, so that a quantile is right within 3.2 %.
const steps = 16

// Bucket is the bucket of a duration in milliseconds. Those below 32 ms have one each.
func Bucket(ms int64) int {
	if ms < 2*steps {
		return int(max(0, ms))
	}
	shift := bits.Len64(uint64(ms)) - 5
	return shift*steps + int(ms>>shift)
}

// BucketSQL is Bucket as an expression over a column, for counting again.
func BucketSQL(column string) string {
	shift := "(LENGTH(BIN(" + column + "))-5)"
	return "IF(" + column + "<32, " + column + ", " + shift + "*16 + (" + column + " >> " + shift + "))"
}

// middle is the duration in the middle of a bucket, in milliseconds.
func middle(bucket int) float64 {
	if bucket < 2*steps {
		return float64(bucket)
	}
	shift := bucket/steps - 1
	low := int64(bucket-shift*steps) << shift
	return float64(low) + float64(int64(1)<<shift)/2
}

// Durations counts sessions by bucket.
type Durations map[int]int64

// Quantile is the duration, in milliseconds, that a share of the sessions lasted at most;
// 0 where there are none.
func (d Durations) Quantile(share float64) float64 {
	var n int64
	buckets := make([]int, 0, len(d))
	for b, count := range d {
		if count > 0 {
			n += count
			buckets = append(buckets, b)
		}
	}
	slices.Sort(buckets)
	want := int64(share*float64(n-1)) + 1
	for _, b := range buckets {
		if want -= d[b]; want <= 0 {
			return middle(b)
		}
	}
	return 0
}
