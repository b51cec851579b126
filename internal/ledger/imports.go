package ledger

import (
	"context"

	"gorm.io/gorm"
)

// batch is how many rows an import writes between two looks at whether to go on.
const batch = 500

// TakeIn inserts groups of records in one transaction: all of them, or none. It tells how
// many are in, and stops, keeping nothing, when the context ends.
func (l *Ledger) TakeIn(ctx context.Context, records []any, told func(done int)) error {
	return l.write.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		for i, record := range records {
			if i%batch == 0 {
				if err := ctx.Err(); err != nil {
					return err
				}
				told(i)
			}
			if err := tx.Create(record).Error; err != nil {
				return err
			}
		}
		told(len(records))
		if err := countFound(tx, "paper = ? AND found = 0", true); err != nil {
			return err
		}
		return ctx.Err()
	})
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
