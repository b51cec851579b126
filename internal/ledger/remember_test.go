package ledger

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"northneedle/core/person"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What is remembered is what the ledger holds, whatever is written to it, through whichever
// of two connections, and in whichever order it is asked for.
func TestRememberedIsNeverOlderThanTheLedger(t *testing.T) {
	folder := t.TempDir()
	here, err := Open(folder)
	require.NoError(t, err)
	defer here.Close()
	there, err := Open(folder) // another program
	require.NoError(t, err)
	defer there.Close()
	computed := 0
	count := func() (int64, error) {
		computed++
		var n int64
		err := here.read.Model(&Person{}).Count(&n).Error
		return n, err
	}
	people := int64(0)
	rapid.Check(t, func(t *rapid.T) {
		for range rapid.IntRange(1, 8).Draw(t, "steps") {
			before := here.AsOf(context.Background()) // of an answer that is still being made
			switch rapid.IntRange(0, 2).Draw(t, "step") {
			case 0:
				people++
				require.NoError(t, here.Save(&Person{ID: fmt.Sprint(people), Name: "Idris Vail"}))
			case 1:
				people++
				require.NoError(t, there.Save(&Person{ID: fmt.Sprint(people), Name: "Tamsin Orrery"}))
			}
			_, err := Remember(before, here, "a", count)
			require.NoError(t, err)
			asOf := here.AsOf(context.Background())
			for _, key := range []string{"a", "b"} {
				for _, ctx := range []context.Context{asOf, context.Background(), here.AsOf(asOf)} {
					n, err := Remember(ctx, here, key, count)
					require.NoError(t, err)
					require.Equal(t, people, n)
				}
			}
		}
	})
	before := computed
	for range 3 {
		_, err := Remember(context.Background(), here, "a", count)
		require.NoError(t, err)
	}
	require.Equal(t, before, computed, "nothing changed: nothing is computed")
}

func TestErrorsAreNotRememberedAndFewValuesAreKept(t *testing.T) {
	l, err := Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	_, err = Remember(context.Background(), l, "a", func() (int, error) { return 1, errors.New("the disk is slow") })
	require.EqualError(t, err, "the disk is slow")
	n, err := Remember(context.Background(), l, "a", func() (int, error) { return 2, nil })
	require.NoError(t, err)
	require.Equal(t, 2, n)
	for i := range 3 * mostRemembered {
		_, err := Remember(context.Background(), l, fmt.Sprint(i), func() (int, error) { return i, nil })
		require.NoError(t, err)
		require.LessOrEqual(t, l.memory.values.Len(), mostRemembered)
	}
}

func TestSomeoneWhoMayNotSignInAnyMoreIsSeenAtOnce(t *testing.T) {
	l, err := Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	p := Person{ID: "p1", Name: "Idris Vail", Role: person.Lead, Active: true}
	require.NoError(t, l.Save(&p))
	kept, err := l.Person(context.Background(), "p1")
	require.NoError(t, err)
	require.True(t, kept.Active)
	p.Active = false
	require.NoError(t, l.Save(&p))
	kept, err = l.Person(context.Background(), "p1")
	require.NoError(t, err)
	require.False(t, kept.Active)
}
