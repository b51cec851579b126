package people

import (
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// After freeTries wrong passwords an account must wait before its next try; each further one doubles that wait, from
// firstWait up to longestWait. After an hour without a wrong password the count is zero again. An address may have more
// wrong passwords before it must wait, because many people can share one.
const (
	freeTries       = 5
	freeOfAnAddress = 40
	longestWait     = 15 * time.Minute
	forgottenAfter  = time.Hour
	mostRemembered  = 20000 // accounts, browsers and addresses; with one more, the one that was not used longest is forgotten
	firstWait       = 2 * time.Second
	doublingsAtMost = 20
)

// tries counts wrong passwords by what they were given for, or from where.
type tries struct {
	mutex sync.Mutex
	wrong *lru.Cache[string, wrongTries]
}

type wrongTries struct {
	n     int
	last  time.Time
	until time.Time // no try before
}

func newTries() *tries {
	wrong, err := lru.New[string, wrongTries](mostRemembered)
	if err != nil {
		panic(err) // there is no room for a single one
	}
	return &tries{wrong: wrong}
}

// counter is what tries are counted by, and how many wrong ones it has before it must wait.
type counter struct {
	by   string
	free int
}

// begin counts a try before it is known whether it is right, so that many at once count as many. Where one of the counters must
// wait, nothing is counted, and the wait is returned.
func (t *tries) begin(now time.Time, counters ...counter) (wait time.Duration) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for _, k := range counters {
		if w, known := t.wrong.Peek(k.by); known {
			wait = max(wait, w.until.Sub(now))
		}
	}
	if wait > 0 {
		return wait
	}
	for _, k := range counters {
		w, known := t.wrong.Get(k.by)
		if !known || now.Sub(w.last) > forgottenAfter {
			w = wrongTries{}
		}
		w.n, w.last = w.n+1, now
		if over := w.n - k.free; over >= 0 {
			w.until = now.Add(min(longestWait, firstWait<<min(over, doublingsAtMost)))
		}
		t.wrong.Add(k.by, w)
	}
	return 0
}

// right takes back a try whose password was right: the account or the browser, which comes first, has no wrong
// passwords any more; the address has one less.
func (t *tries) right(own counter, others ...counter) {
	t.undo(others...)
	t.wrong.Remove(own.by)
}

// undo takes back a try that was not looked at.
func (t *tries) undo(counters ...counter) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for _, k := range counters {
		if w, known := t.wrong.Get(k.by); known {
			w.n, w.until = w.n-1, time.Time{}
			t.wrong.Add(k.by, w)
		}
	}
}
