package ledger

import (
	"context"
	"errors"
	"slices"

	"northneedle/core/conformity"
	"northneedle/core/run"

	"gorm.io/gorm"
)

// batch is how many rows one event of an import holds. After each, it looks whether to go on.
const batch = 500

// TakeIn inserts records, and saves changed ones that are there already, in one transaction: all of them, or none. It
// tells how many are in, and stops, keeping nothing, when the context ends. The error is ErrThere where one is there already.
func (l *Ledger) TakeIn(ctx context.Context, act Act, records, changed []any, told func(done int)) error {
	countImported(records)
	err := l.Do(act, func(w *writer) error {
		for i := 0; i < len(records); i += batch {
			if err := ctx.Err(); err != nil {
				return err
			}
			told(i)
			if err := w.createBatch(act, records[i:min(i+batch, len(records))]); err != nil {
				return err
			}
		}
		for some := range slices.Chunk(changed, batch) {
			if err := errors.Join(ctx.Err(), w.saveBatch(act, some)); err != nil {
				return err
			}
		}
		told(len(records))
		return ctx.Err()
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return ErrThere
	}
	return err
}

// countImported counts, for runs that come in with their results, the points read as found and
// those of them outside their limits.
func countImported(records []any) {
	runs := map[string]*Run{}
	for _, r := range records {
		if r, ok := r.(*Run); ok {
			runs[r.ID] = r
		}
	}
	for _, r := range records {
		result, ok := r.(*Result)
		if !ok || runs[result.RunID] == nil || result.Phase != run.AsFound {
			continue
		}
		of := runs[result.RunID]
		of.Found++
		if result.Zone == conformity.Outside || result.Zone == conformity.OutsideDoubtful {
			of.FoundOut++
		}
	}
}

// Tags are the tags in the register, with the ids of their devices.
func (l *Ledger) Tags() (map[string]string, error) {
	rows, err := many[Asset](l.read.Select("id, tag"))
	tags := make(map[string]string, len(rows))
	for _, r := range rows {
		tags[r.Tag] = r.ID
	}
	return tags, err
}

// RunIDs are the ids of all runs.
func (l *Ledger) RunIDs() (map[string]bool, error) {
	rows, err := many[Run](l.read.Select("id"))
	ids := make(map[string]bool, len(rows))
	for _, r := range rows {
		ids[r.ID] = true
	}
	return ids, err
}

// FillUnlogged inserts pointers to slices of records, each in batches, without a word in the log: for
// ledgers that are only made to be measured. A check of such a ledger names every row.
func (l *Ledger) FillUnlogged(slices ...any) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		for _, records := range slices {
			if err := tx.CreateInBatches(records, 200).Error; err != nil && !errors.Is(err, gorm.ErrEmptySlice) {
				return err
			}
		}
		return nil
	})
}
