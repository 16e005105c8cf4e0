package sqlite

// Date and instant turn stored numbers into text within SQL: 719163 is 1970-01-01 counted from 0001-01-01 = 1.
func Date(col string) string {
	return "CASE WHEN " + col + " = 0 THEN '' ELSE date((" + col + " - 719163) * 86400, 'unixepoch') END"
}

func Instant(col string) string {
	return "CASE WHEN coalesce(" + col + ", 0) = 0 THEN '' ELSE strftime('%Y-%m-%dT%H:%M:%SZ', " + col +
		", 'unixepoch') END"
}

func Number(col string) string { return "CASE WHEN " + col + " = 0 THEN '' ELSE " + col + " END" }
