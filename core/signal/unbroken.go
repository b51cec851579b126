package signal

// Unbroken is the trace since samples were last missing: a stroke with a gap in it has
// no volume.
func Unbroken(trace []Sample, rate float64) []Sample {
	for i := len(trace) - 1; i > 0 && rate > 0; i-- {
		if trace[i].T-trace[i-1].T > 2.5/rate {
			return trace[i:]
		}
	}
	return trace
}
