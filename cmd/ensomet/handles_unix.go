//go:build unix

package main

import "syscall"

// handles is how many connections the system's limit of open files leaves: the data file and what is written beside
// it need some, too.
func handles() int {
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil {
		return manyHandles
	}
	return int(min(manyHandles, max(16, int64(limit.Cur)-keptHandles)))
}
