package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// DeviceRow is a line of the list of devices. LastSeen is in seconds since 1970, 0 for never.
type DeviceRow struct {
	ID           int64  `json:"id"`
	Code         string `json:"code"`
	Name         string `json:"name"`
	Kind         string `json:"kind"`
	Environment  string `json:"environment"`
	Unit         string `json:"unit"`
	Site         string `json:"site"`
	User         string `json:"user"`
	Status       string `json:"status"`
	Country      string `json:"country"`
	Hosting      string `json:"hosting"`
	OS           string `json:"os"`
	Cluster      string `json:"cluster"`
	LastSeen     int64  `json:"lastSeen" unit:"unix"`
	Age          string `json:"age"`
	HardwareAge  string `json:"hardwareAge"`
	UseAge       string `json:"useAge"`
	DirectoryAge string `json:"directoryAge"`
	Namesakes    int64  `json:"namesakes"`
	Differ       int64  `json:"differ"`
	Installs     int64  `json:"installs"`
	Unrecognised int64  `json:"unrecognised"`
	Counted      int64  `json:"counted"`
	Cases        int64  `json:"cases"`
}

// DevicePage reads a page of devices.
func DevicePage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[DeviceRow], error) {
	l := sqlite.List[DeviceRow]{From: "device d LEFT JOIN device_fact f ON f.device_id = d.id", Key: "d.id", Sort: "name", Special: DeviceFilters("d"), Columns: []sqlite.Column[DeviceRow]{
		{Name: "id", Sql: "d.id", Into: func(r *DeviceRow) any { return &r.ID }, Search: false}, {Name: "code", Sql: "d.code", Into: func(r *DeviceRow) any { return &r.Code }, Search: true}, {Name: "name", Sql: "d.name", Into: func(r *DeviceRow) any { return &r.Name }, Search: true},
		{Name: "kind", Sql: "d.kind", Into: func(r *DeviceRow) any { return &r.Kind }, Search: false}, {Name: "environment", Sql: "d.environment", Into: func(r *DeviceRow) any { return &r.Environment }, Search: false},
		{Name: "unit", Sql: "d.org_unit", Into: func(r *DeviceRow) any { return &r.Unit }, Search: true}, {Name: "site", Sql: "d.site", Into: func(r *DeviceRow) any { return &r.Site }, Search: true}, {Name: "user", Sql: "d.primary_user", Into: func(r *DeviceRow) any { return &r.User }, Search: true},
		{Name: "country", Sql: "d.country", Into: func(r *DeviceRow) any { return &r.Country }, Search: false}, {Name: "hosting", Sql: "d.hosting", Into: func(r *DeviceRow) any { return &r.Hosting }, Search: false}, {Name: "os", Sql: "trim(d.os_name || ' ' || d.os_version)", Into: func(r *DeviceRow) any { return &r.OS }, Search: false},
		{Name: "cluster", Sql: "d.cluster", Into: func(r *DeviceRow) any { return &r.Cluster }, Search: false},
		{Name: "hardwareAge", Sql: "coalesce(f.hardware_age, 'never')", Into: func(r *DeviceRow) any { return &r.HardwareAge }, Search: false}, {Name: "useAge", Sql: "coalesce(f.use_age, 'never')", Into: func(r *DeviceRow) any { return &r.UseAge }, Search: false},
		{Name: "directoryAge", Sql: "coalesce(f.directory_age, 'never')", Into: func(r *DeviceRow) any { return &r.DirectoryAge }, Search: false}, {Name: "namesakes", Sql: "coalesce(f.namesakes, 0)", Into: func(r *DeviceRow) any { return &r.Namesakes }, Search: false},
		{Name: "differ", Sql: "coalesce(f.disagreements, 0)", Into: func(r *DeviceRow) any { return &r.Differ }, Search: false},
		{Name: "status", Sql: "d.status", Into: func(r *DeviceRow) any { return &r.Status }, Search: false}, {Name: "lastSeen", Sql: "coalesce(f.last_seen, 0)", Into: func(r *DeviceRow) any { return &r.LastSeen }, Search: false},
		{Name: "age", Sql: "coalesce(f.age, 'never')", Into: func(r *DeviceRow) any { return &r.Age }, Search: false}, {Name: "installs", Sql: "coalesce(f.installs, 0)", Into: func(r *DeviceRow) any { return &r.Installs }, Search: false},
		{Name: "unrecognised", Sql: "coalesce(f.unrecognised, 0)", Into: func(r *DeviceRow) any { return &r.Unrecognised }, Search: false}, {Name: "counted", Sql: "coalesce(f.counted, 0)", Into: func(r *DeviceRow) any { return &r.Counted }, Search: false},
		{Name: "cases", Sql: "coalesce(f.cases, 0)", Into: func(r *DeviceRow) any { return &r.Cases }, Search: false},
	}}
	return l.Page(tx, q)
}

// NameRow is a line of the list of raw names, those of one key together.
type NameRow struct {
	Key       string  `json:"key"`
	Publisher string  `json:"publisher"`
	Name      string  `json:"name"`
	Versions  int64   `json:"versions"`
	Records   int64   `json:"records"`
	Installs  int64   `json:"installs"`
	Devices   int64   `json:"devices"`
	Stale     int64   `json:"stale"`
	State     string  `json:"state"`
	Gather    string  `json:"gather"`
	Likely    string  `json:"likely"`
	Score     float64 `json:"score"`
	Money     float64 `json:"money"`
	Findings  int64   `json:"findings"`
}

// NamePage reads a page of raw names.
func NamePage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[NameRow], error) {
	l := sqlite.List[NameRow]{From: "name_fact n", Key: "n.key", Sort: "-installs", Columns: []sqlite.Column[NameRow]{
		{Name: "key", Sql: "n.key", Into: func(r *NameRow) any { return &r.Key }, Search: false}, {Name: "publisher", Sql: "n.publisher", Into: func(r *NameRow) any { return &r.Publisher }, Search: true}, {Name: "name", Sql: "n.name", Into: func(r *NameRow) any { return &r.Name }, Search: true},
		{Name: "versions", Sql: "n.versions", Into: func(r *NameRow) any { return &r.Versions }, Search: false}, {Name: "records", Sql: "n.records", Into: func(r *NameRow) any { return &r.Records }, Search: false},
		{Name: "installs", Sql: "n.installs", Into: func(r *NameRow) any { return &r.Installs }, Search: false}, {Name: "devices", Sql: "n.devices", Into: func(r *NameRow) any { return &r.Devices }, Search: false},
		{Name: "stale", Sql: "n.stale", Into: func(r *NameRow) any { return &r.Stale }, Search: false},
		{Name: "state", Sql: "n.state", Into: func(r *NameRow) any { return &r.State }, Search: false}, {Name: "gather", Sql: "n.gather", Into: func(r *NameRow) any { return &r.Gather }, Search: false}, {Name: "likely", Sql: "n.likely", Into: func(r *NameRow) any { return &r.Likely }, Search: true},
		{Name: "score", Sql: "n.score", Into: func(r *NameRow) any { return &r.Score }, Search: false}, {Name: "money", Sql: "n.money", Into: func(r *NameRow) any { return &r.Money }, Search: false}, {Name: "findings", Sql: "n.findings", Into: func(r *NameRow) any { return &r.Findings }, Search: false},
	}}
	return l.Page(tx, q)
}

// ProductRow is a line of the list of titles, one for each product.
type ProductRow struct {
	ID        int64  `json:"id"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Category  string `json:"category"`
	Model     string `json:"model"`
	Releases  int64  `json:"releases"`
	Versions  int64  `json:"versions"`
	Installs  int64  `json:"installs"`
	Devices   int64  `json:"devices"`
	Stale     int64  `json:"stale"`
	Counted   int64  `json:"counted"`
	Folded    int64  `json:"folded"`
	LeftOut   int64  `json:"leftOut"`
	Rights    int64  `json:"rights"`
	Tags      string `json:"tags"`
	Watched   bool   `json:"watched"`
}

// ProductPage reads a page of products.
func ProductPage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[ProductRow], error) {
	first := func(col string) string {
		return "coalesce((SELECT t." + col + " FROM title t WHERE t.product_id = p.id AND t." + col + " <> '' ORDER BY t.id LIMIT 1), '')"
	}
	l := sqlite.List[ProductRow]{From: "product p LEFT JOIN product_fact f ON f.product_id = p.id", Key: "p.id", Sort: "-devices", Columns: []sqlite.Column[ProductRow]{
		{Name: "id", Sql: "p.id", Into: func(r *ProductRow) any { return &r.ID }, Search: false}, {Name: "publisher", Sql: "p.publisher", Into: func(r *ProductRow) any { return &r.Publisher }, Search: true}, {Name: "product", Sql: "p.name", Into: func(r *ProductRow) any { return &r.Product }, Search: true},
		{Name: "category", Sql: first("category"), Into: func(r *ProductRow) any { return &r.Category }, Search: false}, {Name: "model", Sql: first("licence_model"), Into: func(r *ProductRow) any { return &r.Model }, Search: false},
		{Name: "releases", Sql: "(SELECT count(*) FROM title t WHERE t.product_id = p.id)", Into: func(r *ProductRow) any { return &r.Releases }, Search: false},
		{Name: "versions", Sql: "coalesce(f.versions, 0)", Into: func(r *ProductRow) any { return &r.Versions }, Search: false}, {Name: "installs", Sql: "coalesce(f.installs, 0)", Into: func(r *ProductRow) any { return &r.Installs }, Search: false},
		{Name: "devices", Sql: "coalesce(f.devices, 0)", Into: func(r *ProductRow) any { return &r.Devices }, Search: false}, {Name: "counted", Sql: "coalesce(f.counted, 0)", Into: func(r *ProductRow) any { return &r.Counted }, Search: false},
		{Name: "stale", Sql: "coalesce(f.stale, 0)", Into: func(r *ProductRow) any { return &r.Stale }, Search: false},
		{Name: "folded", Sql: "coalesce(f.folded, 0)", Into: func(r *ProductRow) any { return &r.Folded }, Search: false}, {Name: "leftOut", Sql: "coalesce(f.left_out, 0)", Into: func(r *ProductRow) any { return &r.LeftOut }, Search: false},
		{Name: "rights", Sql: "(SELECT count(*) FROM entitlement e WHERE e.product_id = p.id)", Into: func(r *ProductRow) any { return &r.Rights }, Search: false},
		{Name: "tags", Sql: "coalesce((SELECT group_concat(tag, ', ') FROM (SELECT tag FROM tag g WHERE g.product_id = p.id ORDER BY tag)), '')", Into: func(r *ProductRow) any { return &r.Tags }, Search: true},
		{Name: "watched", Sql: "EXISTS (SELECT 1 FROM watch w WHERE w.product_id = p.id)", Into: func(r *ProductRow) any { return &r.Watched }, Search: false},
	}}
	l.Special = map[string]func(string) (string, []any){"tag": func(v string) (string, []any) {
		return "EXISTS (SELECT 1 FROM tag g WHERE g.product_id = p.id AND g.tag = ?)", []any{v}
	}}
	return l.Page(tx, q)
}

// PositionRow is a line of the position.
type PositionRow struct {
	ID        string  `json:"id"`
	ProductID int64   `json:"productId"`
	Publisher string  `json:"publisher"`
	Product   string  `json:"product"`
	Metric    string  `json:"metric"`
	Counted   bool    `json:"counted"`
	Owned     int64   `json:"owned"`
	Needed    int64   `json:"needed"`
	Covered   int64   `json:"covered"`
	Short     int64   `json:"short"`
	Surplus   int64   `json:"surplus"`
	Free      int64   `json:"free" doc:"covered without a right of its own"`
	Low       int64   `json:"low"`
	High      int64   `json:"high"`
	Exposure  string  `json:"exposure"`
	Spare     string  `json:"spare"`
	Currency  string  `json:"currency"`
	State     string  `json:"state"` // short, even, spare, unknown
	Balance   int64   `json:"balance"`
	Money     float64 `json:"money"` // exposure below zero, spare value above; for sorting
	Doubtful  bool    `json:"doubtful"`
	Pack      int64   `json:"pack" doc:"what it is bought in"`
	Watched   bool    `json:"watched"`
}

// PositionPage reads a page of the position. The default order puts the greatest exposure first.
func PositionPage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[PositionRow], error) {
	l := sqlite.List[PositionRow]{From: "position n JOIN product p ON p.id = n.product_id", Key: "(n.product_id || ':' || n.metric)", Sort: "money", Columns: []sqlite.Column[PositionRow]{
		{Name: "id", Sql: "(n.product_id || ':' || n.metric)", Into: func(r *PositionRow) any { return &r.ID }, Search: false}, {Name: "productId", Sql: "n.product_id", Into: func(r *PositionRow) any { return &r.ProductID }, Search: false},
		{Name: "publisher", Sql: "p.publisher", Into: func(r *PositionRow) any { return &r.Publisher }, Search: true}, {Name: "product", Sql: "p.name", Into: func(r *PositionRow) any { return &r.Product }, Search: true}, {Name: "metric", Sql: "n.metric", Into: func(r *PositionRow) any { return &r.Metric }, Search: true},
		{Name: "counted", Sql: "n.counted", Into: func(r *PositionRow) any { return &r.Counted }, Search: false}, {Name: "owned", Sql: "n.owned", Into: func(r *PositionRow) any { return &r.Owned }, Search: false}, {Name: "needed", Sql: "n.needed", Into: func(r *PositionRow) any { return &r.Needed }, Search: false},
		{Name: "covered", Sql: "n.covered", Into: func(r *PositionRow) any { return &r.Covered }, Search: false}, {Name: "short", Sql: "n.short", Into: func(r *PositionRow) any { return &r.Short }, Search: false}, {Name: "surplus", Sql: "n.surplus", Into: func(r *PositionRow) any { return &r.Surplus }, Search: false}, {Name: "free", Sql: "n.free", Into: func(r *PositionRow) any { return &r.Free }, Search: false},
		{Name: "pack", Sql: "n.pack", Into: func(r *PositionRow) any { return &r.Pack }, Search: false}, {Name: "watched", Sql: "(n.product_id IN (SELECT product_id FROM watch))", Into: func(r *PositionRow) any { return &r.Watched }, Search: false},
		{Name: "low", Sql: "n.low", Into: func(r *PositionRow) any { return &r.Low }, Search: false}, {Name: "high", Sql: "n.high", Into: func(r *PositionRow) any { return &r.High }, Search: false}, {Name: "exposure", Sql: "n.exposure_text", Into: func(r *PositionRow) any { return &r.Exposure }, Search: false},
		{Name: "spare", Sql: "n.spare_text", Into: func(r *PositionRow) any { return &r.Spare }, Search: false}, {Name: "currency", Sql: "n.currency", Into: func(r *PositionRow) any { return &r.Currency }, Search: false},
		{Name: "state", Sql: "(CASE WHEN n.counted = 0 THEN 'unknown' WHEN n.short > 0 THEN 'short' WHEN n.surplus > 0 THEN 'spare' ELSE 'even' END)", Into: func(r *PositionRow) any { return &r.State }, Search: false},
		{Name: "balance", Sql: "(n.surplus - n.short)", Into: func(r *PositionRow) any { return &r.Balance }, Search: false},
		{Name: "money", Sql: "(CASE WHEN n.short > 0 THEN -n.exposure - 1e-6 ELSE n.spare_value END)", Into: func(r *PositionRow) any { return &r.Money }, Search: false},
		{Name: "doubtful", Sql: "((n.low <= n.owned) <> (n.high <= n.owned))", Into: func(r *PositionRow) any { return &r.Doubtful }, Search: false},
	}}
	return l.Page(tx, q)
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

// EntitlementPage reads a page of entitlements.
func EntitlementPage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[EntitlementRow], error) {
	l := sqlite.List[EntitlementRow]{From: "entitlement e JOIN product p ON p.id = e.product_id", Key: "e.id", Sort: "code", Columns: []sqlite.Column[EntitlementRow]{
		{Name: "id", Sql: "e.id", Into: func(r *EntitlementRow) any { return &r.ID }, Search: false}, {Name: "code", Sql: "e.code", Into: func(r *EntitlementRow) any { return &r.Code }, Search: true}, {Name: "productId", Sql: "e.product_id", Into: func(r *EntitlementRow) any { return &r.ProductID }, Search: false},
		{Name: "publisher", Sql: "p.publisher", Into: func(r *EntitlementRow) any { return &r.Publisher }, Search: true}, {Name: "product", Sql: "p.name", Into: func(r *EntitlementRow) any { return &r.Product }, Search: true},
		{Name: "edition", Sql: "e.edition", Into: func(r *EntitlementRow) any { return &r.Edition }, Search: true}, {Name: "version", Sql: "e.version", Into: func(r *EntitlementRow) any { return &r.Version }, Search: false}, {Name: "metric", Sql: "e.metric", Into: func(r *EntitlementRow) any { return &r.Metric }, Search: false},
		{Name: "quantity", Sql: "e.quantity", Into: func(r *EntitlementRow) any { return &r.Quantity }, Search: false}, {Name: "kind", Sql: "e.kind", Into: func(r *EntitlementRow) any { return &r.Kind }, Search: false}, {Name: "start", Sql: "e.start", Into: func(r *EntitlementRow) any { return &r.Start }, Search: false},
		{Name: "end", Sql: "e.end", Into: func(r *EntitlementRow) any { return &r.End }, Search: false}, {Name: "purchased", Sql: "e.purchased", Into: func(r *EntitlementRow) any { return &r.Purchased }, Search: false},
		{Name: "unitPrice", Sql: "coalesce(e.unit_price, '')", Into: func(r *EntitlementRow) any { return &r.UnitPrice }, Search: false}, {Name: "currency", Sql: "e.currency", Into: func(r *EntitlementRow) any { return &r.Currency }, Search: false},
		{Name: "scope", Sql: "trim(e.scope_unit || ' ' || e.scope_country)", Into: func(r *EntitlementRow) any { return &r.Scope }, Search: true}, {Name: "rights", Sql: "e.rights", Into: func(r *EntitlementRow) any { return &r.Rights }, Search: false},
		{Name: "contract", Sql: "e.contract", Into: func(r *EntitlementRow) any { return &r.Contract }, Search: true}, {Name: "author", Sql: "e.author", Into: func(r *EntitlementRow) any { return &r.Author }, Search: false}, {Name: "changedAt", Sql: "e.changed_at", Into: func(r *EntitlementRow) any { return &r.ChangedAt }, Search: false},
	}}
	return l.Page(tx, q)
}

// CaseRow is a line of the worklist.
type CaseRow struct {
	ID        int64     `json:"id"`
	Kind      string    `json:"kind"`
	State     string    `json:"state"`
	Ended     bool      `json:"ended"`
	DeviceID  int64     `json:"deviceId"`
	Device    string    `json:"device"`
	Unit      string    `json:"unit"`
	User      string    `json:"user"`
	Age       string    `json:"age"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Worth     string    `json:"worth"`
	Amount    float64   `json:"amount"`
	Currency  string    `json:"currency"`
	MoneyOn   civil.Day `json:"moneyOn"`
	OpenedAt  int64     `json:"openedAt" unit:"unix"`
	ChangedAt int64     `json:"changedAt" unit:"unix"`
	CameBack  int64     `json:"cameBack"`
	Person    string    `json:"person" doc:"user_id of who holds the seat, or is asked"`
	PersonID  int64     `json:"personId"`
	Pool      string    `json:"pool"`
	About     string    `json:"about" doc:"the device, person, pool or product that it is about"`
	Quantity  int64     `json:"quantity"`
	Answer    string    `json:"answer"`
	AnswerBy  civil.Day `json:"answerBy"`
	KeptUntil civil.Day `json:"keptUntil"`
	Owner     string    `json:"owner"`
}

// CasePage reads a page of the worklist.
func CasePage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[CaseRow], error) {
	l := sqlite.List[CaseRow]{From: "worklist_case c JOIN product p ON p.id = c.product_id LEFT JOIN device d ON d.id = c.device_id LEFT JOIN device_fact f ON f.device_id = d.id LEFT JOIN person u ON u.id = c.person_id LEFT JOIN pool o ON o.id = c.pool_id", Key: "c.id", Sort: "-amount", Orders: map[string]string{"amount": sqlite.InEUR("c.amount", "c.currency")}, Special: DeviceFilters("d"), Columns: []sqlite.Column[CaseRow]{
		{Name: "id", Sql: "c.id", Into: func(r *CaseRow) any { return &r.ID }, Search: false}, {Name: "kind", Sql: "c.kind", Into: func(r *CaseRow) any { return &r.Kind }, Search: false}, {Name: "state", Sql: "c.state", Into: func(r *CaseRow) any { return &r.State }, Search: false},
		{Name: "ended", Sql: "(c.state IN ('gone', 'lapsed', 'kept'))", Into: func(r *CaseRow) any { return &r.Ended }, Search: false}, {Name: "deviceId", Sql: "c.device_id", Into: func(r *CaseRow) any { return &r.DeviceID }, Search: false},
		{Name: "device", Sql: "coalesce(d.name, '')", Into: func(r *CaseRow) any { return &r.Device }, Search: true}, {Name: "unit", Sql: "coalesce(d.org_unit, u.org_unit, '')", Into: func(r *CaseRow) any { return &r.Unit }, Search: true}, {Name: "user", Sql: "coalesce(d.primary_user, u.code, '')", Into: func(r *CaseRow) any { return &r.User }, Search: true},
		{Name: "person", Sql: "coalesce(u.code, '')", Into: func(r *CaseRow) any { return &r.Person }, Search: false}, {Name: "personId", Sql: "c.person_id", Into: func(r *CaseRow) any { return &r.PersonID }, Search: false}, {Name: "pool", Sql: "coalesce(o.code, '')", Into: func(r *CaseRow) any { return &r.Pool }, Search: true},
		{Name: "about", Sql: "coalesce(d.name, u.name, o.code, '')", Into: func(r *CaseRow) any { return &r.About }, Search: true}, {Name: "quantity", Sql: "c.quantity", Into: func(r *CaseRow) any { return &r.Quantity }, Search: false}, {Name: "answer", Sql: "c.answer", Into: func(r *CaseRow) any { return &r.Answer }, Search: false},
		{Name: "answerBy", Sql: "c.answer_by", Into: func(r *CaseRow) any { return &r.AnswerBy }, Search: false}, {Name: "keptUntil", Sql: "c.keep_until", Into: func(r *CaseRow) any { return &r.KeptUntil }, Search: false}, {Name: "owner", Sql: "c.owner", Into: func(r *CaseRow) any { return &r.Owner }, Search: false},
		{Name: "age", Sql: "(CASE WHEN d.id IS NULL THEN 'fresh' ELSE coalesce(f.age, 'never') END)", Into: func(r *CaseRow) any { return &r.Age }, Search: false},
		{Name: "productId", Sql: "c.product_id", Into: func(r *CaseRow) any { return &r.ProductID }, Search: false}, {Name: "publisher", Sql: "p.publisher", Into: func(r *CaseRow) any { return &r.Publisher }, Search: true}, {Name: "product", Sql: "p.name", Into: func(r *CaseRow) any { return &r.Product }, Search: true},
		{Name: "worth", Sql: "c.worth", Into: func(r *CaseRow) any { return &r.Worth }, Search: false}, {Name: "amount", Sql: "CAST(c.amount AS REAL)", Into: func(r *CaseRow) any { return &r.Amount }, Search: false}, {Name: "currency", Sql: "c.currency", Into: func(r *CaseRow) any { return &r.Currency }, Search: false},
		{Name: "moneyOn", Sql: "c.money_on", Into: func(r *CaseRow) any { return &r.MoneyOn }, Search: false}, {Name: "openedAt", Sql: "c.opened_at", Into: func(r *CaseRow) any { return &r.OpenedAt }, Search: false}, {Name: "changedAt", Sql: "c.changed_at", Into: func(r *CaseRow) any { return &r.ChangedAt }, Search: false},
		{Name: "cameBack", Sql: "c.came_back", Into: func(r *CaseRow) any { return &r.CameBack }, Search: false},
	}}
	return l.Page(tx, q)
}
