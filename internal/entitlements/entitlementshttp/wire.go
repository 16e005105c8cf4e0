package entitlementshttp

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/entitlements"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// Renewal is something that ends: a right, its maintenance, or a contract.
type Renewal struct {
	On        string `json:"on" doc:"the last day"`
	Notice    string `json:"notice" doc:"the last day to give notice, empty where none is needed"`
	What      string `json:"what" enum:"right,maintenance,contract"`
	Kind      string `json:"kind" doc:"of the right"`
	Line      string `json:"line"`
	Contract  string `json:"contract"`
	Renews    bool   `json:"renews" doc:"the contract goes on by itself"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Unit      string `json:"unit"`
	Quantity  int64  `json:"quantity"`
	Used      int64  `json:"used" doc:"rights of it that cover something"`
	Keep      string `json:"keep" doc:"what keeping it costs, at its own price"`
	KeepUsed  string `json:"keepUsed" doc:"what keeping just what is used costs"`
	LetGo     string `json:"letGo" doc:"by how much the exposure grows when it ends"`
	ShortMore int64  `json:"shortMore" doc:"by how much the shortfall grows when it ends"`
	Currency  string `json:"currency"`
	DaysLeft  int    `json:"daysLeft"`
	Advice    string `json:"advice" enum:"keep,keep what is used,let go,"`

	KeepHouse     string   `json:"keepHouse" doc:"in the currency of the house at the rate of today; empty where there is no rate"`
	KeepUsedHouse string   `json:"keepUsedHouse"`
	LetGoHouse    string   `json:"letGoHouse"`
	Rests         int64    `json:"rests" doc:"of maintenance: how many run releases that came out under it"`
	Releases      []string `json:"releases" doc:"which these are"`
	Coming        []string `json:"coming" doc:"releases that are known to come after it"`
}

func toRenewal(v entitlements.Renewal) Renewal { return Renewal(v) }

// LineChange is a value of an entitlement that somebody changed.
type LineChange struct {
	Field  string `json:"field"`
	Was    string `json:"was"`
	Is     string `json:"is"`
	At     int64  `json:"at"`
	Author string `json:"author"`
}

func toLineChange(v entitlements.LineChange) LineChange { return LineChange(v) }

// LineNote is a note on an entitlement.
type LineNote struct {
	ID     int64  `json:"id"`
	Text   string `json:"text"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

func toLineNote(v entitlements.LineNote) LineNote { return LineNote(v) }

// Proof is a file that proves a right. SHA256 is in hexadecimal digits.
type Proof struct {
	ID       int64  `json:"id"`
	Contract string `json:"contract"`
	Name     string `json:"name"`
	Size     int64  `json:"size"`
	SHA256   string `json:"sha256"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
}

func toProof(v entitlements.Proof) Proof {
	return Proof{
		ID:       v.ID,
		Contract: v.Contract,
		Name:     v.Name,
		Size:     v.Size,
		SHA256:   v.SHA256,
		Author:   v.Author,
		At:       v.At,
	}
}

// KeyRow is a licence key as it stands: found, booked or both.
type KeyRow struct {
	ID        int64  `json:"id" doc:"its number among those that were found, or below 0"`
	Hint      string `json:"hint" doc:"its last signs"`
	State     string `json:"state" enum:"over,unbought,in use,nowhere"`
	ProductID int64  `json:"productId" doc:"0 where nobody knows"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Devices   int64  `json:"devices" doc:"that have it"`
	Together  int64  `json:"together" doc:"that have it or another key of its lines"`
	Bought    int64  `json:"bought" doc:"licences of its lines; below 0 where they count no machines"`
	Lines     string `json:"lines" doc:"their entitlement_ids"`
	Since     int64  `json:"since" unit:"unix" doc:"when it was first found where it is now; 0 where it is nowhere"`
	FoundID   int64  `json:"foundId" doc:"0 where it was never found"`
}

func toKeyRow(v entitlements.KeyRow) KeyRow { return KeyRow(v) }

// KeptKey is a licence key as everybody may see it: its last signs. Sealed is the key itself, sealed.
type KeptKey struct {
	ID     int64  `json:"id"`
	Hint   string `json:"hint" doc:"its last signs"`
	Note   string `json:"note"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

func toKeptKey(v entitlements.KeptKey) KeptKey {
	return KeptKey{
		ID:     v.ID,
		Hint:   v.Hint,
		Note:   v.Note,
		Author: v.Author,
		At:     v.At,
	}
}

// Contract is what is known of a contract beyond its lines.
type Contract struct {
	Code       string    `json:"code"`
	Publisher  string    `json:"publisher"`
	Name       string    `json:"name"`
	Start      civil.Day `json:"start"`
	End        civil.Day `json:"end"`
	NoticeDays int64     `json:"noticeDays" doc:"how long before its end notice must be given"`
	Renews     bool      `json:"renews" doc:"goes on by itself unless notice is given"`
	Owner      string    `json:"owner"`
	Note       string    `json:"note"`
	Author     string    `json:"author"`
	At         int64     `json:"at"`
	Revision   int64     `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toContract(v entitlements.Contract) Contract { return Contract(v) }

func fromContract(v Contract) entitlements.Contract { return entitlements.Contract(v) }

// SeatRow is a line of the list of seats: who holds which right.
type SeatRow struct {
	ID         int64     `json:"id"`
	Line       string    `json:"line"`
	LineID     int64     `json:"lineId"`
	ProductID  int64     `json:"productId"`
	Publisher  string    `json:"publisher"`
	Product    string    `json:"product"`
	Edition    string    `json:"edition"`
	User       string    `json:"user"`
	UserName   string    `json:"userName"`
	Status     string    `json:"status" doc:"of the user: active or left"`
	Device     string    `json:"device"`
	DeviceName string    `json:"deviceName"`
	Unit       string    `json:"unit"`
	From       civil.Day `json:"from"`
	Until      civil.Day `json:"until"`
	State      string    `json:"state" enum:"held,handed back,ended,of a leaver"`
}

func toSeatRow(v entitlements.SeatRow) SeatRow { return SeatRow(v) }

// WaitRow is somebody who waits for a seat.
type WaitRow struct {
	ID        int64  `json:"id"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	User      string `json:"user"`
	UserName  string `json:"userName"`
	Unit      string `json:"unit"`
	Status    string `json:"status"`
	Since     int64  `json:"since"`
	Note      string `json:"note"`
	Author    string `json:"author"`
}

func toWaitRow(v entitlements.WaitRow) WaitRow {
	return WaitRow{
		ID:        v.ID,
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		User:      v.User,
		UserName:  v.UserName,
		Unit:      v.Unit,
		Status:    v.Status,
		Since:     v.Since,
		Note:      v.Note,
		Author:    v.Author,
	}
}

// StarterSet is the products that somebody new in a role gets.
type StarterSet struct {
	ID       int64   `json:"id"`
	Name     string  `json:"name"`
	Note     string  `json:"note"`
	Products []int64 `json:"products"`
	Author   string  `json:"author"`
	At       int64   `json:"at"`
	Revision int64   `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toStarterSet(v entitlements.StarterSet) StarterSet { return StarterSet(v) }

func fromStarterSet(v StarterSet) entitlements.StarterSet { return entitlements.StarterSet(v) }

// Held is all that somebody holds.
type Held struct {
	User    string                `json:"user"`
	Name    string                `json:"name"`
	Email   string                `json:"email"`
	Unit    string                `json:"unit"`
	Site    string                `json:"site"`
	Status  evidence.PersonStatus `json:"status"`
	LeftOn  string                `json:"leftOn"`
	AsOf    string                `json:"asOf"`
	Seats   []SeatRow             `json:"seats"`
	Devices []HeldDevice          `json:"devices"`
	Waits   []WaitRow             `json:"waits"`
}

func toHeld(v entitlements.Held) Held {
	return Held{
		User:    v.User,
		Name:    v.Name,
		Email:   v.Email,
		Unit:    v.Unit,
		Site:    v.Site,
		Status:  v.Status,
		LeftOn:  v.LeftOn,
		AsOf:    v.AsOf,
		Seats:   rest.Each(v.Seats, toSeatRow),
		Devices: rest.Each(v.Devices, toHeldDevice),
		Waits:   rest.Each(v.Waits, toWaitRow),
	}
}

// HeldDevice is a device that somebody is the main user of, with the titles on it that need a right.
type HeldDevice struct {
	Code   string   `json:"code"`
	Name   string   `json:"name"`
	Kind   string   `json:"kind"`
	Status string   `json:"status"`
	Titles []string `json:"titles"`
}

func toHeldDevice(v entitlements.HeldDevice) HeldDevice { return HeldDevice(v) }

// Started says what somebody new got and what is missing.
type Started struct {
	Given   []SeatGift     `json:"given"`
	Missing []StarterLacks `json:"missing"`
}

func toStarted(v entitlements.Started) Started {
	return Started{
		Given:   rest.Each(v.Given, toSeatGift),
		Missing: rest.Each(v.Missing, toStarterLacks),
	}
}

// StarterLacks is a product of a set that somebody did not get.
type StarterLacks struct {
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Why       string `json:"why"`
	Waits     bool   `json:"waits"`
}

func toStarterLacks(v entitlements.StarterLacks) StarterLacks { return StarterLacks(v) }

// LineCheck is something about a line that cannot be right, or that is worth a second look.
type LineCheck struct {
	Field   string `json:"field"`
	Text    string `json:"text"`
	Serious bool   `json:"serious" doc:"the line cannot be kept like this"`
}

func toLineCheck(v entitlements.LineCheck) LineCheck { return LineCheck(v) }

// LineEdit changes a line that is booked.
type LineEdit struct {
	Values   map[string]string `json:"values" doc:"by the columns of entitlements.csv; entitlement_id names the line"`
	Revision int64             `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func fromLineEdit(v LineEdit) entitlements.LineEdit { return entitlements.LineEdit(v) }

// LineDetail is all about one entitlement.
type LineDetail struct {
	Values          map[string]string `json:"values"`
	ProductID       int64             `json:"productId"`
	ChangedAt       int64             `json:"changedAt"`
	Revision        int64             `json:"revision"`
	Effective       int64             `json:"effective"`
	Why             string            `json:"why"`
	Unmatched       int64             `json:"unmatched"`
	Consumed        int64             `json:"consumed"`
	Held            int64             `json:"held" doc:"seats that are assigned"`
	Days            []LineDay         `json:"days" doc:"what the line came to, from each day on which that changed"`
	LastDay         string            `json:"lastDay" doc:"of its term, renewals included; empty is without an end"`
	MaintainedUntil string            `json:"maintainedUntil"`
	OwnPurchase     bool              `json:"ownPurchase" doc:"its own quantity is its first purchase"`
	BoughtOn        string            `json:"boughtOn"`
	Transactions    []LineTransaction `json:"transactions"`
	Upgrades        []string          `json:"upgrades" doc:"lines that upgrade this one"`
	Changes         []LineChange      `json:"changes"`
	Notes           []LineNote        `json:"notes"`
	Proofs          []Proof           `json:"proofs"`
	Keys            []KeptKey         `json:"keys"`
	Checks          []LineCheck       `json:"checks"`
}

func toLineDetail(v entitlements.LineDetail) LineDetail {
	return LineDetail{
		Values:          v.Values,
		ProductID:       v.ProductID,
		ChangedAt:       v.ChangedAt,
		Revision:        v.Revision,
		Effective:       v.Effective,
		Why:             v.Why,
		Unmatched:       v.Unmatched,
		Consumed:        v.Consumed,
		Held:            v.Held,
		Days:            rest.Each(v.Days, toLineDay),
		LastDay:         v.LastDay,
		MaintainedUntil: v.MaintainedUntil,
		OwnPurchase:     v.OwnPurchase,
		BoughtOn:        v.BoughtOn,
		Transactions:    rest.Each(v.Transactions, toLineTransaction),
		Upgrades:        v.Upgrades,
		Changes:         rest.Each(v.Changes, toLineChange),
		Notes:           rest.Each(v.Notes, toLineNote),
		Proofs:          rest.Each(v.Proofs, toProof),
		Keys:            rest.Each(v.Keys, toKeptKey),
		Checks:          rest.Each(v.Checks, toLineCheck),
	}
}

// LineDay is what a line comes to from a day on.
type LineDay struct {
	From     string `json:"from"`
	Quantity int64  `json:"quantity"`
	Why      string `json:"why"`
}

func toLineDay(v entitlements.LineDay) LineDay { return LineDay(v) }

// LineTransaction is a transaction of a line. One that was taken back stays on record and counts for nothing.
type LineTransaction struct {
	ID        int64  `json:"id"`
	Type      string `json:"type"`
	On        string `json:"on"`
	Quantity  int64  `json:"quantity" doc:"below 0 in a counter-entry"`
	End       string `json:"end" doc:"of a renewal: the last day of the new term"`
	Price     string `json:"price"`
	Currency  string `json:"currency"`
	Order     string `json:"order"`
	Note      string `json:"note"`
	Request   string `json:"request" doc:"the purchase case that it fulfils"`
	Author    string `json:"author"`
	At        int64  `json:"at" unit:"unix" doc:"when it was booked, 0 before this was kept"`
	Counters  int64  `json:"counters" doc:"the transaction that this counter-entry undoes"`
	Countered bool   `json:"countered"`
	GoneAt    int64  `json:"goneAt" unit:"unix" doc:"when it was taken back"`
	GoneBy    string `json:"goneBy"`
	GoneWhy   string `json:"goneWhy"`
}

func toLineTransaction(v entitlements.LineTransaction) LineTransaction { return LineTransaction(v) }

// TransactionDraft is a transaction as somebody typed it.
type TransactionDraft struct {
	Line      string   `json:"line" doc:"entitlement_id"`
	Type      string   `json:"type" doc:"buy, renew, true_up, transfer_in, transfer_out or retire"`
	On        string   `json:"on"`
	Quantity  string   `json:"quantity"`
	End       string   `json:"end,omitempty" doc:"of a renewal: the last day of the new term"`
	Price     string   `json:"price,omitempty" doc:"of one"`
	Currency  string   `json:"currency,omitempty"`
	Order     string   `json:"order,omitempty"`
	Note      string   `json:"note,omitempty"`
	Request   string   `json:"request,omitempty" doc:"the purchase case that it fulfils"`
	Confirmed []string `json:"confirmed,omitempty" doc:"what was asked about it, and is right"`
}

func fromTransactionDraft(v TransactionDraft) entitlements.TransactionDraft {
	return entitlements.TransactionDraft(v)
}

// TradeEffect is what a transaction, or undoing one, changes.
type TradeEffect struct {
	Asks        []string              `json:"asks" doc:"what has to be confirmed before it is booked"`
	How         string                `json:"how" enum:"book,take back,counter-entry"`
	Because     string                `json:"because" doc:"why a counter-entry is needed"`
	On          string                `json:"on"`
	Before      int64                 `json:"before" doc:"what the line counts on that day"`
	After       int64                 `json:"after"`
	TodayBefore int64                 `json:"todayBefore"`
	TodayAfter  int64                 `json:"todayAfter"`
	EndsBefore  string                `json:"endsBefore" doc:"the last day of its term; empty is without an end"`
	EndsAfter   string                `json:"endsAfter"`
	KeptBefore  string                `json:"keptBefore" doc:"the last day of its maintenance; empty is none"`
	KeptAfter   string                `json:"keptAfter"`
	Cost        string                `json:"cost" doc:"below 0 where it is taken back; empty is not known"`
	Currency    string                `json:"currency"`
	Moves       []wire.PositionChange `json:"moves" doc:"of today"`
}

func toTradeEffect(v entitlements.TradeEffect) TradeEffect {
	return TradeEffect{
		Asks:        v.Asks,
		How:         v.How,
		Because:     v.Because,
		On:          v.On,
		Before:      v.Before,
		After:       v.After,
		TodayBefore: v.TodayBefore,
		TodayAfter:  v.TodayAfter,
		EndsBefore:  v.EndsBefore,
		EndsAfter:   v.EndsAfter,
		KeptBefore:  v.KeptBefore,
		KeptAfter:   v.KeptAfter,
		Cost:        v.Cost,
		Currency:    v.Currency,
		Moves:       rest.Each(v.Moves, wire.ToPositionChange),
	}
}

// FreeSeats is a line with seats that can be assigned.
type FreeSeats struct {
	Line      string `json:"line"`
	Terms     string `json:"terms"`
	Effective int64  `json:"effective"`
	Held      int64  `json:"held"`
	Free      int64  `json:"free"`
}

func toFreeSeats(v entitlements.FreeSeats) FreeSeats { return FreeSeats(v) }

// SeatDraft asks for a seat: of a line, or of any line of a product that has one free.
type SeatDraft struct {
	Product int64  `json:"product"`
	Line    string `json:"line" doc:"empty is any line of the product with a free seat"`
	User    string `json:"user" doc:"user_id"`
	Device  string `json:"device" doc:"device_id, where a device holds it"`
}

func fromSeatDraft(v SeatDraft) entitlements.SeatDraft { return entitlements.SeatDraft(v) }

// HandedBack says what became of seats that were handed back.
type HandedBack struct {
	Seats int        `json:"seats"`
	Given []SeatGift `json:"given" doc:"seats that went to whoever waited first"`
}

func toHandedBack(v entitlements.HandedBack) HandedBack {
	return HandedBack{
		Seats: v.Seats,
		Given: rest.Each(v.Given, toSeatGift),
	}
}

// SeatGift is a seat that somebody got.
type SeatGift struct {
	User    string `json:"user"`
	Name    string `json:"name"`
	Product string `json:"product"`
	Line    string `json:"line"`
}

func toSeatGift(v entitlements.SeatGift) SeatGift { return SeatGift(v) }

// SpendRow is what was spent in a year.
type SpendRow struct {
	Year      int    `json:"year"`
	Publisher string `json:"publisher"`
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Unit      string `json:"unit" doc:"the scope of the line; empty is everyone"`
	Kind      string `json:"kind"`
	Own       string `json:"own" doc:"the value of the field of the house's own that was asked for"`
	Amount    string `json:"amount" doc:"in the currency of the house, at the rate of the day it was spent on"`
	Lines     int    `json:"lines"`
}

func toSpendRow(v entitlements.SpendRow) SpendRow { return SpendRow(v) }

// Spend is what was spent, by publisher, product, unit, kind and year. Without are payments whose currency had no rate
// on their day.
type Spend struct {
	Rows    []SpendRow    `json:"rows"`
	Without []Unconverted `json:"without" doc:"they are in no sum"`
}

// Unconverted is a payment whose currency had no rate on its day.
type Unconverted struct {
	Line      string `json:"line"`
	Product   string `json:"product"`
	ProductID int64  `json:"productId"`
	On        string `json:"on"`
	Amount    string `json:"amount"`
	Currency  string `json:"currency"`
}

func toUnconverted(v entitlements.Unconverted) Unconverted { return Unconverted(v) }

// UseSpend is the part of what was spent in a year that falls to a unit.
type UseSpend struct {
	Year      int    `json:"year"`
	Unit      string `json:"unit" doc:"empty is that no unit is known, or everyone's"`
	Part      string `json:"part" enum:"used,spare,not in force" doc:"used by the unit today; used by nobody; of no force today"`
	Publisher string `json:"publisher" doc:"where products are asked for"`
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Amount    string `json:"amount" doc:"in the currency of the house"`
}

func toUseSpend(v entitlements.UseSpend) UseSpend { return UseSpend(v) }

// SpendByUse is what was spent, by who uses it. It adds up to what Spend says, to the cent.
type SpendByUse struct {
	Rows    []UseSpend    `json:"rows"`
	Without []Unconverted `json:"without" doc:"payments whose currency had no rate on their day: in no sum"`
}

func toSpendByUse(v entitlements.SpendByUse) SpendByUse {
	return SpendByUse{
		Rows:    rest.Each(v.Rows, toUseSpend),
		Without: rest.Each(v.Without, toUnconverted),
	}
}

func toSpend(v entitlements.Spend) Spend {
	return Spend{
		Rows:    rest.Each(v.Rows, toSpendRow),
		Without: rest.Each(v.Without, toUnconverted),
	}
}

// ContractView is a contract with what its lines come to.
type ContractView struct {
	Contract
	Lines    int    `json:"lines"`
	Products int    `json:"products"`
	Value    string `json:"value" doc:"what its lines cost each time that they are renewed, in the currency of the house"`
	Once     string `json:"once" doc:"what of it was bought for ever, in the currency of the house"`
	Notice   string `json:"notice" doc:"the last day to give notice"`
	LastEnd  string `json:"lastEnd" doc:"the last day on which a line of it ends"`

	Own map[string]string `json:"own" doc:"fields of the house's own"`
}

func toContractView(v entitlements.ContractView) ContractView {
	return ContractView{
		Contract: toContract(v.Contract),
		Lines:    v.Lines,
		Products: v.Products,
		Value:    v.Value,
		Once:     v.Once,
		Notice:   v.Notice,
		LastEnd:  v.LastEnd,
		Own:      v.Own,
	}
}

// EntitlementRow is a line of the list of entitlements. Effective and Why are filled in by the use case.
type EntitlementRow struct {
	ID        int64     `json:"id"`
	Code      string    `json:"code"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Edition   string    `json:"edition"`
	Version   string    `json:"version"`
	Metric    string    `json:"metric"`
	Quantity  int64     `json:"quantity"`
	Effective int64     `json:"effective"`
	Why       string    `json:"why"`
	Kind      string    `json:"kind"`
	Start     civil.Day `json:"start"`
	End       civil.Day `json:"end"`
	Purchased civil.Day `json:"purchased"`
	UnitPrice string    `json:"unitPrice"`
	Currency  string    `json:"currency"`
	Scope     string    `json:"scope"`
	Rights    string    `json:"rights"`
	Contract  string    `json:"contract"`
	Author    string    `json:"author"`
	ChangedAt int64     `json:"changedAt" unit:"unix"`
}

func toEntitlementRow(v entitlements.EntitlementRow) EntitlementRow { return EntitlementRow(v) }
