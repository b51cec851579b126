//go:build unix

package backup

import "syscall"

// Space is how much is free on the disk of a folder, and how large it is, in bytes.
func Space(folder string) (free, total int64, err error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(folder, &s); err != nil {
		return 0, 0, err
	}
	return int64(s.Bavail) * int64(s.Bsize), int64(s.Blocks) * int64(s.Bsize), nil
}
