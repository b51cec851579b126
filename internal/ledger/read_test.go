package ledger

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"
)

// What is read is what was kept, of every record, whatever stands in it; and GORM's own
// reading sees the same.
func TestWhatIsReadIsWhatWasKept(t *testing.T) {
	l, err := Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	n := 0
	for name, check := range map[string]func(*rapid.T){
		"person": same[Person](l, &n), "device": same[Asset](l, &n), "activity": same[Activity](l, &n),
		"note":     same[ActivityNote](l, &n),
		"standard": same[Standard](l, &n), "certificate": same[StandardCertificate](l, &n), "gauge": same[Gauge](l, &n),
		"event": same[Event](l, &n),
		"run":   same[Run](l, &n), "loose end": same[OpenItem](l, &n), "result": same[Result](l, &n),
		"use": same[Use](l, &n), "instrument": same[Instrument](l, &n),
		"session": same[Session](l, &n), "lot of controls": same[ControlLot](l, &n),
		"control": same[ControlValue](l, &n), "look-back": same[LookBack](l, &n),
		"notice": same[Notice](l, &n), "round": same[Round](l, &n),
	} {
		t.Run(name, rapid.MakeCheck(check))
	}
}

func same[T any](l *Ledger, n *int) func(*rapid.T) {
	return func(t *rapid.T) {
		*n++
		var record T
		draw(t, reflect.ValueOf(&record).Elem(), fmt.Sprint(*n))
		require.NoError(t, l.write.Save(&record).Error)
		read, err := one[T](byKey(l, &record))
		require.NoError(t, err)
		var own T
		require.NoError(t, byKey(l, &record).Take(&own).Error)
		require.JSONEq(t, written(t, record), written(t, read))
		require.JSONEq(t, written(t, own), written(t, read))
	}
}

func byKey(l *Ledger, record any) *gorm.DB {
	statement := gorm.Statement{DB: l.read}
	if err := statement.Parse(record); err != nil {
		panic(err)
	}
	key := statement.Schema.PrioritizedPrimaryField
	value, _ := key.ValueOf(l.read.Statement.Context, reflect.ValueOf(record).Elem())
	return l.read.Where("\""+key.DBName+"\" = ?", value)
}

func written(t *rapid.T, record any) string {
	text, err := json.Marshal(record)
	require.NoError(t, err)
	return string(text)
}

// draw fills in a record: every text that must be its own ends with a number that is.
func draw(t *rapid.T, v reflect.Value, own string) {
	switch v.Kind() {
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[time.Time]() {
			at := time.Date(2026, 3, 29, 2, 59, 59, 123456789,
				time.Local).Add(time.Duration(rapid.Int64Range(-1e18, 1e18).Draw(t, "at")))
			v.Set(reflect.ValueOf(at))
			return
		}
		for i := range v.NumField() {
			field := v.Type().Field(i)
			if !field.IsExported() || field.Name == "Ord" {
				continue
			}
			draw(t, v.Field(i), own)
			if v.Field(i).Kind() == reflect.String &&
				(strings.Contains(string(field.Tag), "primaryKey") ||
					strings.Contains(string(field.Tag), "uniqueIndex")) {
				v.Field(i).SetString(v.Field(i).String() + own)
			}
		}
	case reflect.String:
		v.SetString(rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"", "5,02", "2026-11-25",
			"2026-11-25 08:00:00+01:00", "null", "0", "a\x00b", "x' OR 1=1 --"})).Draw(t, "text"))
	case reflect.Bool:
		v.SetBool(rapid.Bool().Draw(t, "bool"))
	case reflect.Int, reflect.Int64:
		v.SetInt(rapid.OneOf(rapid.Int64Range(-5, 5), rapid.Int64()).Draw(t, "whole"))
	case reflect.Uint:
		v.SetUint(uint64(rapid.Uint32Range(1, 1<<31).Draw(t, "number")))
	case reflect.Float64:
		v.SetFloat(rapid.OneOf(rapid.Float64Range(-10, 10), rapid.Float64Range(-1e300, 1e300)).Draw(t, "value"))
	case reflect.Pointer:
		if rapid.Bool().Draw(t, "there") {
			v.Set(reflect.New(v.Type().Elem()))
			draw(t, v.Elem(), own)
		}
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			v.SetBytes(rapid.SliceOfN(rapid.Byte(), 1, -1).Draw(t, "bytes"))
			return
		}
		for range rapid.IntRange(0, 3).Draw(t, "length") {
			one := reflect.New(v.Type().Elem()).Elem()
			draw(t, one, own)
			v.Set(reflect.Append(v, one))
		}
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		for range rapid.IntRange(0, 3).Draw(t, "size") {
			key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
			draw(t, key, own)
			draw(t, value, own)
			v.SetMapIndex(key, value)
		}
	default:
		t.Fatalf("no way to draw a %s", v.Type())
	}
}
