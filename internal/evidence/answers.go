package evidence

import (
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// What this station answers as its tables and the snapshot have it.
type (
	AsideLine     = intake.AsideLine
	AsideRow      = evidencedb.AsideRow
	BegunImport   = evidencedb.BegunImport
	ChangeRow     = evidencedb.ChangeRow
	ChangeTally   = evidencedb.ChangeTally
	DeviceKind    = evidence.DeviceKind
	Delivery      = evidencedb.Delivery
	DeviceFileRow = evidencedb.DeviceFileRow
	DeviceFull    = lists.DeviceFull
	FileRow       = evidencedb.FileRow
	HolderRow     = evidencedb.HolderRow
	ImportResult  = intake.ImportResult
	InstallRow    = evidencedb.InstallRow
	Level         = evidencedb.Level
	Mapping       = formats.Mapping
	MissingRow    = evidencedb.MissingRow
	MoveRow       = evidencedb.MoveRow
	OrderCount    = evidencedb.OrderCount
	OrderRow      = evidencedb.OrderRow
	Proposal      = formats.Proposal
	Sample        = intake.Sample
	ScanRow       = evidencedb.ScanRow
	SourceRow     = evidencedb.SourceRow
)

// DeviceList lists the devices.
func DeviceList() *sqlite.List[lists.DeviceRow] { return lists.DeviceList() }

// AsideList lists the lines that nobody could take.
func AsideList() *sqlite.List[AsideRow] { return evidencedb.AsideList() }

// ChangeList lists what changed between scans.
func ChangeList() *sqlite.List[ChangeRow] { return evidencedb.ChangeList() }

// OrderList lists the scans that are asked for.
func OrderList() *sqlite.List[OrderRow] { return evidencedb.OrderList() }

// DeliveryList lists what sources sent.
func DeliveryList() *sqlite.List[Delivery] { return evidencedb.DeliveryList() }

// MoveList lists who joined, moved and left.
func MoveList() *sqlite.List[MoveRow] { return evidencedb.MoveList() }
