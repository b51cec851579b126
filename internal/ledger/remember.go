package ledger

import "sync"

// mostRemembered is how many values are kept; with one more, all are let go.
const mostRemembered = 256

// memory is what was computed from the ledger as it stands.
type memory struct {
	mutex   sync.Mutex
	version int64 // of the ledger, that the values were computed from
	values  map[string]any
}

// Remember is what compute made of the ledger, for as long as nothing is committed to it,
// by this program or by another; then it is computed anew. The key names what is computed,
// with everything it depends on beside the ledger: the day, say. Values are shared: who is
// given one must not change it. An error is never remembered.
func Remember[T any](l *Ledger, key string, compute func() (T, error)) (T, error) {
	version, err := l.version()
	if err != nil {
		return compute()
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
	if version != m.version || len(m.values) >= mostRemembered {
		m.version, m.values = version, map[string]any{}
	}
	m.values[key] = value
}
