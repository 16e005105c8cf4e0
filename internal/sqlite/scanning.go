package sqlite

import (
	"strings"
)

func SplitList(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, "|")
}

func JoinList(list []string) string { return strings.Join(list, "|") }
