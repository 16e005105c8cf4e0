// Package lists has the lists that more than one station serves: which columns they have, where these come from, and by
// what they are filtered.
package lists

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/own"
	"ensomet/internal/sqlite"
)

// DeviceRow is a line of the list of devices. LastSeen is in seconds since 1970, 0 for never.
type DeviceRow struct {
	ID           int64  `column:"id"`
	Code         string `column:"code"`
	Name         string `column:"name"`
	Kind         string `column:"kind"`
	Environment  string `column:"environment"`
	Unit         string `column:"unit"`
	Site         string `column:"site"`
	User         string `column:"user"`
	Status       string `column:"status"`
	Country      string `column:"country"`
	Hosting      string `column:"hosting"`
	OS           string `column:"os"`
	Cluster      string `column:"cluster"`
	MemoryMB     int64  `column:"memoryMb"`
	LastSeen     int64  `column:"lastSeen"` // seconds since 1970
	Age          string `column:"age"`
	HardwareAge  string `column:"hardwareAge"`
	UseAge       string `column:"useAge"`
	DirectoryAge string `column:"directoryAge"`
	Namesakes    int64  `column:"namesakes"`
	Differ       int64  `column:"differ"`
	Installs     int64  `column:"installs"`
	Unrecognised int64  `column:"unrecognised"`
	Counted      int64  `column:"counted"`
	Cases        int64  `column:"cases"`
}

// DeviceList is the list of devices.
func DeviceList() *sqlite.List[DeviceRow] {
	l := &sqlite.List[DeviceRow]{
		From: "device d JOIN device_fact f ON f.device_id = d.id",
		Key:  "d.id",
		Leads: map[string]sqlite.Lead{
			"f": {From: "device_fact f JOIN device d ON d.id = f.device_id", Key: "f.device_id"},
		},
		Sort:    "name",
		Special: DeviceFilters("d"),
		Own:     sqlite.OwnIn("d.custom"),
		Columns: []sqlite.Column{
			sqlite.Plain("id", "d.id"),
			sqlite.Searched("code", "d.code"),
			sqlite.Searched("name", "d.name"),
			sqlite.Plain("kind", "d.kind"),
			sqlite.Plain("environment", "d.environment"),
			sqlite.Searched("unit", "d.org_unit"),
			sqlite.Searched("site", "d.site"),
			sqlite.Searched("user", "d.primary_user"),
			sqlite.Plain("country", "d.country"),
			sqlite.Plain("hosting", "d.hosting"),
			sqlite.Plain("os", "trim(d.os_name || ' ' || d.os_version)"),
			sqlite.Plain("cluster", "d.cluster"),
			sqlite.Plain("memoryMb", "d.memory_mb"),
			sqlite.Plain("hardwareAge", "f.hardware_age"),
			sqlite.Plain("useAge", "f.use_age"),
			sqlite.Plain("directoryAge", "f.directory_age"),
			sqlite.Plain("namesakes", "f.namesakes"),
			sqlite.Plain("differ", "f.disagreements"),
			sqlite.Plain("status", "d.status"),
			sqlite.Plain("lastSeen", "f.last_seen"),
			sqlite.Plain("age", "f.age"),
			sqlite.Plain("installs", "f.installs"),
			sqlite.Plain("unrecognised", "f.unrecognised"),
			sqlite.Plain("counted", "f.counted"),
			sqlite.Plain("cases", "f.cases"),
		},
	}
	return l
}

// NameRow is a line of the list of raw names, those of one key together.
type NameRow struct {
	Key       string  `column:"key"`
	Publisher string  `column:"publisher"`
	Name      string  `column:"name"`
	Versions  int64   `column:"versions"`
	Records   int64   `column:"records"`
	Installs  int64   `column:"installs"`
	Devices   int64   `column:"devices"`
	Stale     int64   `column:"stale"`
	State     string  `column:"state"`
	Gather    string  `column:"gather"`
	Likely    string  `column:"likely"`
	Score     float64 `column:"score"`
	Money     string  `column:"money"` // in the currency of the house, what would follow if the first proposal were right
	Findings  int64   `column:"findings"`
	Revision  int64   `column:"revision"` // of what people say of it
}

// NameList is the list of raw names.
func NameList() *sqlite.List[NameRow] {
	l := &sqlite.List[NameRow]{
		From:   "name_fact n",
		Key:    "n.key",
		Sort:   "-installs",
		Orders: map[string]string{"money": "n.money"},
		Columns: []sqlite.Column{
			sqlite.Plain("key", "n.key"),
			sqlite.Searched("publisher", "n.publisher"),
			sqlite.Searched("name", "n.name"),
			sqlite.Plain("versions", "n.versions"),
			sqlite.Plain("records", "n.records"),
			sqlite.Plain("installs", "n.installs"),
			sqlite.Plain("devices", "n.devices"),
			sqlite.Plain("stale", "n.stale"),
			sqlite.Plain("state", "n.state"),
			sqlite.Plain("gather", "n.gather"),
			sqlite.Searched("likely", "n.likely"),
			sqlite.Plain("score", "n.score"),
			sqlite.Amount("money", "printf('%.2f', n.money)"),
			sqlite.Plain("findings", "n.findings"),
			sqlite.Beside("revision",
				"coalesce((SELECT max(e.revision) FROM edit e WHERE e.kind = 'name' AND e.thing = n.key), 0)"),
		}}
	return l
}

// ProductRow is a line of the list of titles, one for each product.
type ProductRow struct {
	ID        int64  `column:"id"`
	Publisher string `column:"publisher"`
	Product   string `column:"product"`
	Category  string `column:"category"`
	Model     string `column:"model"`
	Releases  int64  `column:"releases"`
	Versions  int64  `column:"versions"`
	Installs  int64  `column:"installs"`
	Devices   int64  `column:"devices"`
	Stale     int64  `column:"stale"`
	Counted   int64  `column:"counted"`
	Folded    int64  `column:"folded"`
	LeftOut   int64  `column:"leftOut"`
	Rights    int64  `column:"rights"`
	Tags      string `column:"tags"`
	Watched   bool   `column:"watched"`
}

// ProductList is the list of products.
func ProductList() *sqlite.List[ProductRow] {
	first := func(col string) string {
		return "coalesce((SELECT t." + col + " FROM title t WHERE t.product_id = p.id AND t." + col +
			" <> '' ORDER BY t.id LIMIT 1), '')"
	}
	l := &sqlite.List[ProductRow]{
		From: "product p LEFT JOIN product_fact f ON f.product_id = p.id",
		Key:  "p.id",
		Own:  own.SQL(own.Title, "CAST(p.id AS TEXT)"),
		Sort: "-devices",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "p.id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Plain("category", first("category")),
			sqlite.Plain("model", first("licence_model")),
			sqlite.Plain("releases", "(SELECT count(*) FROM title t WHERE t.product_id = p.id)"),
			sqlite.Plain("versions", "coalesce(f.versions, 0)"),
			sqlite.Plain("installs", "coalesce(f.installs, 0)"),
			sqlite.Plain("devices", "coalesce(f.devices, 0)"),
			sqlite.Plain("counted", "coalesce(f.counted, 0)"),
			sqlite.Plain("stale", "coalesce(f.stale, 0)"),
			sqlite.Plain("folded", "coalesce(f.folded, 0)"),
			sqlite.Plain("leftOut", "coalesce(f.left_out, 0)"),
			sqlite.Plain(
				"rights",
				"(SELECT count(*) FROM entitlement e WHERE e.product_id = p.id AND e.withdrawn_at = 0)"),
			sqlite.Searched(
				"tags",
				"coalesce((SELECT group_concat(tag, ', ') FROM (SELECT tag FROM tag g WHERE g.product_id = p.id "+
					"ORDER BY tag)), '')"),
			sqlite.Plain("watched", "EXISTS (SELECT 1 FROM watch w WHERE w.product_id = p.id)"),
		},
	}
	l.Special = map[string]func(string) (string, []any){"tag": func(v string) (string, []any) {
		return "EXISTS (SELECT 1 FROM tag g WHERE g.product_id = p.id AND g.tag = ?)", []any{v}
	}}
	return l
}

// PositionRow is a line of the position.
type PositionRow struct {
	ID        string `column:"id"`
	ProductID int64  `column:"productId"`
	Publisher string `column:"publisher"`
	Product   string `column:"product"`
	Metric    string `column:"metric"`
	Counted   bool   `column:"counted"`
	Owned     int64  `column:"owned"`
	Needed    int64  `column:"needed"`
	Covered   int64  `column:"covered"`
	Short     int64  `column:"short"`
	Surplus   int64  `column:"surplus"`
	Free      int64  `column:"free"` // covered without a right of its own
	Low       int64  `column:"low"`
	High      int64  `column:"high"`
	Exposure  string `column:"exposure"`
	Spare     string `column:"spare"`
	Currency  string `column:"currency"`
	State     string `column:"state"` // short, even, spare, unknown
	Balance   int64  `column:"balance"`
	Doubtful  bool   `column:"doubtful"`
	Pack      int64  `column:"pack"` // what it is bought in
	Watched   bool   `column:"watched"`
}

// PositionList is the list of the position. The default order puts the greatest exposure first.
func PositionList() *sqlite.List[PositionRow] {
	l := &sqlite.List[PositionRow]{
		From:   "position n JOIN product p ON p.id = n.product_id",
		Key:    "n.product_id, n.metric",
		Sort:   "money",
		Orders: map[string]string{"exposure": "n.exposure", "spare": "n.spare_value"},
		Own:    own.SQL(own.Title, "CAST(n.product_id AS TEXT)"),
		Columns: []sqlite.Column{
			sqlite.Plain("id", "(n.product_id || ':' || n.metric)"),
			sqlite.Plain("productId", "n.product_id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Searched("metric", "n.metric"),
			sqlite.Plain("counted", "n.counted"),
			sqlite.Plain("owned", "n.owned"),
			sqlite.Plain("needed", "n.needed"),
			sqlite.Plain("covered", "n.covered"),
			sqlite.Plain("short", "n.short"),
			sqlite.Plain("surplus", "n.surplus"),
			sqlite.Plain("free", "n.free"),
			sqlite.Plain("pack", "n.pack"),
			sqlite.Plain("watched", "(n.product_id IN (SELECT product_id FROM watch))"),
			sqlite.Plain("low", "n.low"),
			sqlite.Plain("high", "n.high"),
			sqlite.Amount("exposure", "n.exposure_text"),
			sqlite.Amount("spare", "n.spare_text"),
			sqlite.Plain("currency", "n.currency"),
			sqlite.Plain(
				"state",
				"(CASE WHEN n.counted = 0 THEN 'unknown' WHEN n.short > 0 THEN 'short' WHEN n.surplus > 0 THEN "+
					"'spare' ELSE 'even' END)"),
			sqlite.Plain("balance", "(n.surplus - n.short)"),
			// exposure below zero, spare value above
			sqlite.OrderOnly("money", "(CASE WHEN n.short > 0 THEN -n.exposure - 1e-6 ELSE n.spare_value END)"),
			sqlite.Plain("doubtful", "((n.low <= n.owned) <> (n.high <= n.owned))"),
		},
	}
	return l
}

// EntitlementRow is a line of the list of entitlements. Effective and Why are filled in by the use case.
type EntitlementRow struct {
	ID        int64     `column:"id"`
	Code      string    `column:"code"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Edition   string    `column:"edition"`
	Version   string    `column:"version"`
	Metric    string    `column:"metric"`
	Quantity  int64     `column:"quantity"`
	Effective int64     `column:"effective"`
	Why       string    `column:"why"`
	Kind      string    `column:"kind"`
	Start     civil.Day `column:"start"`
	End       civil.Day `column:"end"`
	Purchased civil.Day `column:"purchased"`
	UnitPrice string    `column:"unitPrice"`
	Currency  string    `column:"currency"`
	Scope     string    `column:"scope"`
	Rights    string    `column:"rights"`
	Contract  string    `column:"contract"`
	Author    string    `column:"author"`
	ChangedAt int64     `column:"changedAt"` // seconds since 1970
}

// EntitlementList is the list of entitlements.
func EntitlementList() *sqlite.List[EntitlementRow] {
	l := &sqlite.List[EntitlementRow]{
		From:   "entitlement e JOIN product p ON p.id = e.product_id",
		Where:  "e.withdrawn_at = 0",
		Key:    "e.id",
		Own:    own.SQL(own.Line, "e.code"),
		Sort:   "code",
		Orders: map[string]string{"unitPrice": sqlite.InEUR("coalesce(e.unit_price, '-1')", "e.currency")},
		Columns: []sqlite.Column{
			sqlite.Plain("id", "e.id"),
			sqlite.Searched("code", "e.code"),
			sqlite.Plain("productId", "e.product_id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Searched("edition", "e.edition"),
			sqlite.Plain("version", "e.version"),
			sqlite.Plain("metric", "e.metric"),
			sqlite.Plain("quantity", "e.quantity"),
			sqlite.Plain("kind", "e.kind"),
			sqlite.Plain("start", "e.start"),
			sqlite.Plain("end", "e.last_day"),
			sqlite.Plain("purchased", "e.purchased"),
			sqlite.Amount("unitPrice", "coalesce(e.unit_price, '')"),
			sqlite.Plain("currency", "e.currency"),
			sqlite.Searched("scope", "trim(e.scope_unit || ' ' || e.scope_country)"),
			sqlite.Plain("rights", "e.rights"),
			sqlite.Searched("contract", "e.contract"),
			sqlite.Plain("author", "e.author"),
			sqlite.Plain("changedAt", "e.changed_at"),
		},
	}
	return l
}

// CaseRow is a line of the worklist.
type CaseRow struct {
	ID       int64  `column:"id"`
	Kind     string `column:"kind"`
	State    string `column:"state"`
	Ended    bool   `column:"ended"`
	DeviceID int64  `column:"deviceId"`
	Device   string `column:"device"`
	Unit     string `column:"unit"`

	DeviceKind  string `column:"deviceKind"`
	Environment string `column:"environment"`
	Hosting     string `column:"hosting"`
	Site        string `column:"site"`

	User      string    `column:"user"`
	Age       string    `column:"age"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Worth     string    `column:"worth"`
	Amount    string    `column:"amount"`
	Currency  string    `column:"currency"`
	MoneyOn   civil.Day `column:"moneyOn"`
	OpenedAt  int64     `column:"openedAt"`  // seconds since 1970
	ChangedAt int64     `column:"changedAt"` // seconds since 1970
	CameBack  int64     `column:"cameBack"`
	Person    string    `column:"person"` // user_id of who holds the seat, or is asked
	PersonID  int64     `column:"personId"`
	Pool      string    `column:"pool"`
	About     string    `column:"about"` // the device, person, pool or product that it is about
	Quantity  int64     `column:"quantity"`
	Answer    string    `column:"answer"`
	AnswerBy  civil.Day `column:"answerBy"`
	KeptUntil civil.Day `column:"keptUntil"`
	Owner     string    `column:"owner"`
}

// CaseList is the list of the worklist.
func CaseList() *sqlite.List[CaseRow] {
	about := " LEFT JOIN device d ON d.id = c.device_id LEFT JOIN device_fact f ON f.device_id = d.id LEFT JOIN " +
		"person u ON u.id = c.person_id LEFT JOIN pool o ON o.id = c.pool_id"
	l := &sqlite.List[CaseRow]{
		From: "worklist_case c JOIN product p ON p.id = c.product_id" + about,
		Key:  "c.id",
		Leads: map[string]sqlite.Lead{
			"p": {From: "product p JOIN worklist_case c ON c.product_id = p.id" + about, Key: "p.id, c.id"},
		},
		Sort:    "-amount",
		Orders:  map[string]string{"amount": "c.in_eur"},
		Special: DeviceFilters("d"),
		Own:     sqlite.OwnIn("d.custom"),
		Columns: []sqlite.Column{
			sqlite.Plain("id", "c.id"),
			sqlite.Plain("kind", "c.kind"),
			sqlite.Plain("state", "c.state"),
			sqlite.Plain("ended", "(c.state IN ('gone', 'lapsed', 'kept'))"),
			sqlite.Plain("deviceId", "c.device_id"),
			sqlite.Searched("device", "coalesce(d.name, '')"),
			sqlite.Searched("unit", "coalesce(d.org_unit, u.org_unit, '')"),
			sqlite.Plain("deviceKind", "coalesce(d.kind, '')"),
			sqlite.Plain("environment", "coalesce(d.environment, '')"),
			sqlite.Plain("hosting", "coalesce(d.hosting, '')"),
			sqlite.Plain("site", "coalesce(d.site, u.site, '')"),
			sqlite.Searched("user", "coalesce(d.primary_user, u.code, '')"),
			sqlite.Plain("person", "coalesce(u.code, '')"),
			sqlite.Plain("personId", "c.person_id"),
			sqlite.Searched("pool", "coalesce(o.code, '')"),
			sqlite.Searched("about", "coalesce(d.name, u.name, o.code, '')"),
			sqlite.Plain("quantity", "c.quantity"),
			sqlite.Plain("answer", "c.answer"),
			sqlite.Plain("answerBy", "c.answer_by"),
			sqlite.Plain("keptUntil", "c.keep_until"),
			sqlite.Plain("owner", "c.owner"),
			sqlite.Plain("age", "(CASE WHEN d.id IS NULL THEN 'fresh' ELSE coalesce(f.age, 'never') END)"),
			sqlite.Plain("productId", "c.product_id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Plain("worth", "c.worth"),
			sqlite.Amount("amount", "c.amount"),
			sqlite.Plain("currency", "c.currency"),
			sqlite.Plain("moneyOn", "c.money_on"),
			sqlite.Plain("openedAt", "c.opened_at"),
			sqlite.Plain("changedAt", "c.changed_at"),
			sqlite.Plain("cameBack", "c.came_back"),
		},
	}
	return l
}
