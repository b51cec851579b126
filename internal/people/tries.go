package people

import (
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// A few wrong passwords are free; each one after them doubles the time until the next try, up to the longest. Without one for a
// while, it begins anew. An address has more of them free: many people can stand behind one.
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

// kept is what tries are counted by, with how many are free.
type kept struct {
	by   string
	free int
}

// begin counts a try before it is known whether it is right, so that many at once count as many. Where one of the keys must wait, it
// counts nothing, and says how long.
func (t *tries) begin(now time.Time, keys ...kept) (wait time.Duration) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for _, k := range keys {
		if w, known := t.wrong.Peek(k.by); known {
			wait = max(wait, w.until.Sub(now))
		}
	}
	if wait > 0 {
		return wait
	}
	for _, k := range keys {
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

// right takes a try back that was right: the first key, an account or a browser, begins anew; of the others only this one counts no
// more.
func (t *tries) right(keys ...kept) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for i, k := range keys {
		w, known := t.wrong.Get(k.by)
		switch {
		case !known:
		case i == 0 || w.n <= 1:
			t.wrong.Remove(k.by)
		default:
			w.n, w.until = w.n-1, time.Time{}
			t.wrong.Add(k.by, w)
		}
	}
}

// undo takes a try back that was not looked at.
func (t *tries) undo(keys ...kept) { t.right(append([]kept{{}}, keys...)...) }
