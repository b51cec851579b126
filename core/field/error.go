// Package field names the places of mistakes in what was entered or written.
package field

// Error is one mistake. Path leads to the field, as in "steps[3].points[0].at"; a loader turns
// it into a line, a form into a marked field.
type Error struct {
	Path    string
	Message string
}

func (e Error) Error() string { return e.Path + ": " + e.Message }
