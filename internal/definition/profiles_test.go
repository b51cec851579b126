package definition_test

import (
	"testing"

	"northneedle/internal/definition"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestProfilesShip(t *testing.T) {
	all, err := definition.Profiles("")
	require.NoError(t, err)
	assert.Len(t, all, 16)
}
