package worklist

import (
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// What this station answers as its tables and the snapshot have it.
type (
	CaseGroup = worklistdb.CaseGroup
	Mail      = outbox.Mail
	SavingRow = worklistdb.SavingRow
	Wave      = worklistdb.Wave
	WaveSofar = worklistdb.WaveSofar
)

// CaseList lists what is to be done.
func CaseList() *sqlite.List[lists.CaseRow] { return lists.CaseList() }

// SavingList lists what was saved.
func SavingList() *sqlite.List[SavingRow] { return worklistdb.SavingList() }

// PotentialList lists what could be saved.
func PotentialList() *sqlite.List[SavingRow] { return worklistdb.PotentialList() }

// MailList lists the mail that leaves.
func MailList() *sqlite.List[Mail] { return outbox.MailList() }
