package ledger

import (
	"context"
	"strconv"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// mostRemembered is how many values are kept; with one more, the one that was not asked for longest
// is let go.
const mostRemembered = 256

// memory is what was computed from the ledger as it stood.
type memory struct {
	values *lru.Cache[string, remembered]
	under  singleflight.Group // what is being computed
}

// remembered is a value, and the version of what it was computed from.
type remembered struct {
	version int64
	value   any
}

func newMemory() (*memory, error) {
	values, err := lru.New[string, remembered](mostRemembered)
	return &memory{values: values}, err
}

// versionOf is under what a context keeps a ledger's version.
type versionOf struct{ *Ledger }

// AsOf gives a context in which nothing older than now is remembered, and whether it is
// older is not asked again: for an answer that reads only, and soon ends.
func (l *Ledger) AsOf(ctx context.Context) context.Context {
	version, err := l.version()
	if err != nil {
		return ctx
	}
	return context.WithValue(ctx, versionOf{l}, version)
}

// Remember caches the result of compute until the ledger changes, by this program or by another. key
// must name everything the result depends on besides the ledger, such as the day. Concurrent callers
// with the same key wait for one computation. Results are shared: do not modify them. Errors are not
// cached.
func Remember[T any](ctx context.Context, l *Ledger, key string, compute func() (T, error)) (T, error) {
	version, known := ctx.Value(versionOf{l}).(int64)
	if !known {
		var err error
		if version, err = l.version(); err != nil {
			return compute()
		}
	}
	return recall(l.memory, version, key, compute)
}

// RememberRecords is [Remember] for what follows from records and from runs that ended: the readings of a run that is open
// leave it as it is.
func RememberRecords[T any](l *Ledger, key string, compute func() (T, error)) (T, error) {
	return recall(l.memory, l.records.Load(), key, compute)
}

// recall is the value of a key at a version. Those who ask for it while it is computed wait for it.
func recall[T any](m *memory, version int64, key string, compute func() (T, error)) (T, error) {
	if kept, ok := m.values.Get(key); ok && kept.version == version {
		if value, ok := kept.value.(T); ok {
			return value, nil
		}
	}
	value, err, _ := m.under.Do(strconv.FormatInt(version, 10)+" "+key, func() (any, error) {
		value, err := compute()
		if err == nil {
			m.values.Add(key, remembered{version, value})
		}
		return value, err
	})
	if err != nil {
		var none T
		return none, err
	}
	return value.(T), nil
}
