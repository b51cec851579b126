package ledger

import (
	"context"
	"sync"
)

// mostRemembered is how many values are kept; with one more, all are let go.
const mostRemembered = 256

// memory is what was computed from the ledger as it stands.
type memory struct {
	mutex   sync.Mutex
	version int64 // of the ledger, that the values were computed from
	values  map[string]any
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

// Remember is what compute made of the ledger, for as long as nothing is committed to it,
// by this program or by another; then it is computed anew. The key names what is computed,
// with everything it depends on beside the ledger: the day, say. Values are shared: who is
// given one must not change it. An error is never remembered.
func Remember[T any](ctx context.Context, l *Ledger, key string, compute func() (T, error)) (T, error) {
	version, known := ctx.Value(versionOf{l}).(int64)
	if !known {
		var err error
		if version, err = l.version(); err != nil {
			return compute()
		}
	}
	if kept, ok := l.memory.get(version, key).(T); ok {
		return kept, nil
	}
	value, err := compute()
	if err == nil {
		l.memory.put(version, key, value)
	}
	return value, err
}

func (m *memory) get(version int64, key string) any {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if version != m.version {
		return nil
	}
	return m.values[key]
}

func (m *memory) put(version int64, key string, value any) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if version != m.version {
		return // somebody has seen a newer one since
	}
	if len(m.values) >= mostRemembered {
		m.values = map[string]any{}
	}
	m.values[key] = value
}

// at lets go of what was computed from another version.
func (m *memory) at(version int64) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if version != m.version || m.values == nil {
		m.version, m.values = version, map[string]any{}
	}
}
