package people

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync/atomic"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn"
)

// shortest and longest are how many characters a password has. Longer counts for more than any rule about its letters.
const (
	shortest = 12
	longest  = 200
)

// looked is how many characters of a password its strength is judged by: judging takes the square of the time.
const looked = 72

// Weak says why a password is not taken.
type Weak struct{ words string }

func (w *Weak) Error() string { return w.words }

func weak(format string, args ...any) error { return &Weak{fmt.Sprintf(format, args...)} }

// CheckPassword refuses a password that is short, or that is guessed soon: what many people choose, what stands on a
// keyboard in a row, the person's own name, the product's.
func CheckPassword(password, name string) error {
	switch n := len([]rune(password)); {
	case n < shortest:
		return weak("the password needs at least %d characters: a few words that do not belong together are easy to keep in mind", shortest)
	case n > longest:
		return weak("the password has %d characters: at most %d", n, longest)
	}
	known := append(strings.Fields(name), name, "north", "needle", "north-needle", "northneedle")
	if zxcvbn.PasswordStrength(string([]rune(password)[:min(looked, len([]rune(password)))]), known).Score < 3 {
		return weak("the password would be guessed soon: take a few words that do not belong together, and not the name")
	}
	return nil
}

// hashesAtOnce is how many passwords are hashed at a time: each takes 64 MB and a core. mostWaiting is how many more
// may wait for it.
const (
	hashesAtOnce = 2
	mostWaiting  = 32
)

// ErrBusy says that more people sign in at this moment than can be served.
var ErrBusy = errors.New("many sign in at this moment: wait a few seconds, then try again")

// hasher compares passwords with their hashes, few at a time.
type hasher struct {
	working, waiting chan struct{}
	done             atomic.Int64 // passwords hashed so far
}

func newHasher() *hasher {
	return &hasher{working: make(chan struct{}, hashesAtOnce), waiting: make(chan struct{}, hashesAtOnce+mostWaiting)}
}

// compare reports whether a password has a hash. ErrBusy says that too many wait for it already.
func (h *hasher) compare(ctx context.Context, password, hash string) (bool, error) {
	select {
	case h.waiting <- struct{}{}:
		defer func() { <-h.waiting }()
	default:
		return false, ErrBusy
	}
	select {
	case h.working <- struct{}{}:
		defer func() { <-h.working }()
	case <-ctx.Done():
		return false, ctx.Err()
	}
	h.done.Add(1)
	if Cost.Memory >= large {
		defer runtime.GC() // before the next one begins: what this one took is not left lying beside what that one takes
	}
	return argon2id.ComparePasswordAndHash(password, hash)
}

// large is from how many KiB on a hash's memory is given back at once.
const large = 16 << 10
