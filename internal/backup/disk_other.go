//go:build !unix

package backup

import "errors"

// Space is how much is free on the disk of a folder: not known on this system.
func Space(string) (free, total int64, err error) {
	return 0, 0, errors.New("how much is free on the disk is not known on this system")
}
