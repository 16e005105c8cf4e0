package store

import "ensomet/internal/core/civil"

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
func (tx *Tx) DevicePage(q ListQuery) (Page[DeviceRow], error) {
	l := list[DeviceRow]{from: "device d LEFT JOIN device_fact f ON f.device_id = d.id", key: "d.id", sort: "name", special: deviceFilters("d"), columns: []column[DeviceRow]{
		{"id", "d.id", func(r *DeviceRow) any { return &r.ID }, false}, {"code", "d.code", func(r *DeviceRow) any { return &r.Code }, true}, {"name", "d.name", func(r *DeviceRow) any { return &r.Name }, true},
		{"kind", "d.kind", func(r *DeviceRow) any { return &r.Kind }, false}, {"environment", "d.environment", func(r *DeviceRow) any { return &r.Environment }, false},
		{"unit", "d.org_unit", func(r *DeviceRow) any { return &r.Unit }, true}, {"site", "d.site", func(r *DeviceRow) any { return &r.Site }, true}, {"user", "d.primary_user", func(r *DeviceRow) any { return &r.User }, true},
		{"country", "d.country", func(r *DeviceRow) any { return &r.Country }, false}, {"hosting", "d.hosting", func(r *DeviceRow) any { return &r.Hosting }, false}, {"os", "trim(d.os_name || ' ' || d.os_version)", func(r *DeviceRow) any { return &r.OS }, false},
		{"cluster", "d.cluster", func(r *DeviceRow) any { return &r.Cluster }, false},
		{"hardwareAge", "coalesce(f.hardware_age, 'never')", func(r *DeviceRow) any { return &r.HardwareAge }, false}, {"useAge", "coalesce(f.use_age, 'never')", func(r *DeviceRow) any { return &r.UseAge }, false},
		{"directoryAge", "coalesce(f.directory_age, 'never')", func(r *DeviceRow) any { return &r.DirectoryAge }, false}, {"namesakes", "coalesce(f.namesakes, 0)", func(r *DeviceRow) any { return &r.Namesakes }, false},
		{"differ", "coalesce(f.disagreements, 0)", func(r *DeviceRow) any { return &r.Differ }, false},
		{"status", "d.status", func(r *DeviceRow) any { return &r.Status }, false}, {"lastSeen", "coalesce(f.last_seen, 0)", func(r *DeviceRow) any { return &r.LastSeen }, false},
		{"age", "coalesce(f.age, 'never')", func(r *DeviceRow) any { return &r.Age }, false}, {"installs", "coalesce(f.installs, 0)", func(r *DeviceRow) any { return &r.Installs }, false},
		{"unrecognised", "coalesce(f.unrecognised, 0)", func(r *DeviceRow) any { return &r.Unrecognised }, false}, {"counted", "coalesce(f.counted, 0)", func(r *DeviceRow) any { return &r.Counted }, false},
		{"cases", "coalesce(f.cases, 0)", func(r *DeviceRow) any { return &r.Cases }, false},
	}}
	return l.page(tx, q)
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
func (tx *Tx) NamePage(q ListQuery) (Page[NameRow], error) {
	l := list[NameRow]{from: "name_fact n", key: "n.key", sort: "-installs", columns: []column[NameRow]{
		{"key", "n.key", func(r *NameRow) any { return &r.Key }, false}, {"publisher", "n.publisher", func(r *NameRow) any { return &r.Publisher }, true}, {"name", "n.name", func(r *NameRow) any { return &r.Name }, true},
		{"versions", "n.versions", func(r *NameRow) any { return &r.Versions }, false}, {"records", "n.records", func(r *NameRow) any { return &r.Records }, false},
		{"installs", "n.installs", func(r *NameRow) any { return &r.Installs }, false}, {"devices", "n.devices", func(r *NameRow) any { return &r.Devices }, false},
		{"stale", "n.stale", func(r *NameRow) any { return &r.Stale }, false},
		{"state", "n.state", func(r *NameRow) any { return &r.State }, false}, {"gather", "n.gather", func(r *NameRow) any { return &r.Gather }, false}, {"likely", "n.likely", func(r *NameRow) any { return &r.Likely }, true},
		{"score", "n.score", func(r *NameRow) any { return &r.Score }, false}, {"money", "n.money", func(r *NameRow) any { return &r.Money }, false}, {"findings", "n.findings", func(r *NameRow) any { return &r.Findings }, false},
	}}
	return l.page(tx, q)
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
func (tx *Tx) ProductPage(q ListQuery) (Page[ProductRow], error) {
	first := func(col string) string {
		return "coalesce((SELECT t." + col + " FROM title t WHERE t.product_id = p.id AND t." + col + " <> '' ORDER BY t.id LIMIT 1), '')"
	}
	l := list[ProductRow]{from: "product p LEFT JOIN product_fact f ON f.product_id = p.id", key: "p.id", sort: "-devices", columns: []column[ProductRow]{
		{"id", "p.id", func(r *ProductRow) any { return &r.ID }, false}, {"publisher", "p.publisher", func(r *ProductRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *ProductRow) any { return &r.Product }, true},
		{"category", first("category"), func(r *ProductRow) any { return &r.Category }, false}, {"model", first("licence_model"), func(r *ProductRow) any { return &r.Model }, false},
		{"releases", "(SELECT count(*) FROM title t WHERE t.product_id = p.id)", func(r *ProductRow) any { return &r.Releases }, false},
		{"versions", "coalesce(f.versions, 0)", func(r *ProductRow) any { return &r.Versions }, false}, {"installs", "coalesce(f.installs, 0)", func(r *ProductRow) any { return &r.Installs }, false},
		{"devices", "coalesce(f.devices, 0)", func(r *ProductRow) any { return &r.Devices }, false}, {"counted", "coalesce(f.counted, 0)", func(r *ProductRow) any { return &r.Counted }, false},
		{"stale", "coalesce(f.stale, 0)", func(r *ProductRow) any { return &r.Stale }, false},
		{"folded", "coalesce(f.folded, 0)", func(r *ProductRow) any { return &r.Folded }, false}, {"leftOut", "coalesce(f.left_out, 0)", func(r *ProductRow) any { return &r.LeftOut }, false},
		{"rights", "(SELECT count(*) FROM entitlement e WHERE e.product_id = p.id)", func(r *ProductRow) any { return &r.Rights }, false},
		{"tags", "coalesce((SELECT group_concat(tag, ', ') FROM (SELECT tag FROM tag g WHERE g.product_id = p.id ORDER BY tag)), '')", func(r *ProductRow) any { return &r.Tags }, true},
		{"watched", "EXISTS (SELECT 1 FROM watch w WHERE w.product_id = p.id)", func(r *ProductRow) any { return &r.Watched }, false},
	}}
	l.special = map[string]func(string) (string, []any){"tag": func(v string) (string, []any) {
		return "EXISTS (SELECT 1 FROM tag g WHERE g.product_id = p.id AND g.tag = ?)", []any{v}
	}}
	return l.page(tx, q)
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
func (tx *Tx) PositionPage(q ListQuery) (Page[PositionRow], error) {
	l := list[PositionRow]{from: "position n JOIN product p ON p.id = n.product_id", key: "(n.product_id || ':' || n.metric)", sort: "money", columns: []column[PositionRow]{
		{"id", "(n.product_id || ':' || n.metric)", func(r *PositionRow) any { return &r.ID }, false}, {"productId", "n.product_id", func(r *PositionRow) any { return &r.ProductID }, false},
		{"publisher", "p.publisher", func(r *PositionRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *PositionRow) any { return &r.Product }, true}, {"metric", "n.metric", func(r *PositionRow) any { return &r.Metric }, true},
		{"counted", "n.counted", func(r *PositionRow) any { return &r.Counted }, false}, {"owned", "n.owned", func(r *PositionRow) any { return &r.Owned }, false}, {"needed", "n.needed", func(r *PositionRow) any { return &r.Needed }, false},
		{"covered", "n.covered", func(r *PositionRow) any { return &r.Covered }, false}, {"short", "n.short", func(r *PositionRow) any { return &r.Short }, false}, {"surplus", "n.surplus", func(r *PositionRow) any { return &r.Surplus }, false}, {"free", "n.free", func(r *PositionRow) any { return &r.Free }, false},
		{"pack", "n.pack", func(r *PositionRow) any { return &r.Pack }, false}, {"watched", "(n.product_id IN (SELECT product_id FROM watch))", func(r *PositionRow) any { return &r.Watched }, false},
		{"low", "n.low", func(r *PositionRow) any { return &r.Low }, false}, {"high", "n.high", func(r *PositionRow) any { return &r.High }, false}, {"exposure", "n.exposure_text", func(r *PositionRow) any { return &r.Exposure }, false},
		{"spare", "n.spare_text", func(r *PositionRow) any { return &r.Spare }, false}, {"currency", "n.currency", func(r *PositionRow) any { return &r.Currency }, false},
		{"state", "(CASE WHEN n.counted = 0 THEN 'unknown' WHEN n.short > 0 THEN 'short' WHEN n.surplus > 0 THEN 'spare' ELSE 'even' END)", func(r *PositionRow) any { return &r.State }, false},
		{"balance", "(n.surplus - n.short)", func(r *PositionRow) any { return &r.Balance }, false},
		{"money", "(CASE WHEN n.short > 0 THEN -n.exposure - 1e-6 ELSE n.spare_value END)", func(r *PositionRow) any { return &r.Money }, false},
		{"doubtful", "((n.low <= n.owned) <> (n.high <= n.owned))", func(r *PositionRow) any { return &r.Doubtful }, false},
	}}
	return l.page(tx, q)
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
func (tx *Tx) EntitlementPage(q ListQuery) (Page[EntitlementRow], error) {
	l := list[EntitlementRow]{from: "entitlement e JOIN product p ON p.id = e.product_id", key: "e.id", sort: "code", columns: []column[EntitlementRow]{
		{"id", "e.id", func(r *EntitlementRow) any { return &r.ID }, false}, {"code", "e.code", func(r *EntitlementRow) any { return &r.Code }, true}, {"productId", "e.product_id", func(r *EntitlementRow) any { return &r.ProductID }, false},
		{"publisher", "p.publisher", func(r *EntitlementRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *EntitlementRow) any { return &r.Product }, true},
		{"edition", "e.edition", func(r *EntitlementRow) any { return &r.Edition }, true}, {"version", "e.version", func(r *EntitlementRow) any { return &r.Version }, false}, {"metric", "e.metric", func(r *EntitlementRow) any { return &r.Metric }, false},
		{"quantity", "e.quantity", func(r *EntitlementRow) any { return &r.Quantity }, false}, {"kind", "e.kind", func(r *EntitlementRow) any { return &r.Kind }, false}, {"start", "e.start", func(r *EntitlementRow) any { return &r.Start }, false},
		{"end", "e.end", func(r *EntitlementRow) any { return &r.End }, false}, {"purchased", "e.purchased", func(r *EntitlementRow) any { return &r.Purchased }, false},
		{"unitPrice", "coalesce(e.unit_price, '')", func(r *EntitlementRow) any { return &r.UnitPrice }, false}, {"currency", "e.currency", func(r *EntitlementRow) any { return &r.Currency }, false},
		{"scope", "trim(e.scope_unit || ' ' || e.scope_country)", func(r *EntitlementRow) any { return &r.Scope }, true}, {"rights", "e.rights", func(r *EntitlementRow) any { return &r.Rights }, false},
		{"contract", "e.contract", func(r *EntitlementRow) any { return &r.Contract }, true}, {"author", "e.author", func(r *EntitlementRow) any { return &r.Author }, false}, {"changedAt", "e.changed_at", func(r *EntitlementRow) any { return &r.ChangedAt }, false},
	}}
	return l.page(tx, q)
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
func (tx *Tx) CasePage(q ListQuery) (Page[CaseRow], error) {
	l := list[CaseRow]{from: "worklist_case c JOIN product p ON p.id = c.product_id LEFT JOIN device d ON d.id = c.device_id LEFT JOIN device_fact f ON f.device_id = d.id LEFT JOIN person u ON u.id = c.person_id LEFT JOIN pool o ON o.id = c.pool_id", key: "c.id", sort: "-amount", orders: map[string]string{"amount": inEUR("c.amount", "c.currency")}, special: deviceFilters("d"), columns: []column[CaseRow]{
		{"id", "c.id", func(r *CaseRow) any { return &r.ID }, false}, {"kind", "c.kind", func(r *CaseRow) any { return &r.Kind }, false}, {"state", "c.state", func(r *CaseRow) any { return &r.State }, false},
		{"ended", "(c.state IN ('gone', 'lapsed', 'kept'))", func(r *CaseRow) any { return &r.Ended }, false}, {"deviceId", "c.device_id", func(r *CaseRow) any { return &r.DeviceID }, false},
		{"device", "coalesce(d.name, '')", func(r *CaseRow) any { return &r.Device }, true}, {"unit", "coalesce(d.org_unit, u.org_unit, '')", func(r *CaseRow) any { return &r.Unit }, true}, {"user", "coalesce(d.primary_user, u.code, '')", func(r *CaseRow) any { return &r.User }, true},
		{"person", "coalesce(u.code, '')", func(r *CaseRow) any { return &r.Person }, false}, {"personId", "c.person_id", func(r *CaseRow) any { return &r.PersonID }, false}, {"pool", "coalesce(o.code, '')", func(r *CaseRow) any { return &r.Pool }, true},
		{"about", "coalesce(d.name, u.name, o.code, '')", func(r *CaseRow) any { return &r.About }, true}, {"quantity", "c.quantity", func(r *CaseRow) any { return &r.Quantity }, false}, {"answer", "c.answer", func(r *CaseRow) any { return &r.Answer }, false},
		{"answerBy", "c.answer_by", func(r *CaseRow) any { return &r.AnswerBy }, false}, {"keptUntil", "c.keep_until", func(r *CaseRow) any { return &r.KeptUntil }, false}, {"owner", "c.owner", func(r *CaseRow) any { return &r.Owner }, false},
		{"age", "(CASE WHEN d.id IS NULL THEN 'fresh' ELSE coalesce(f.age, 'never') END)", func(r *CaseRow) any { return &r.Age }, false},
		{"productId", "c.product_id", func(r *CaseRow) any { return &r.ProductID }, false}, {"publisher", "p.publisher", func(r *CaseRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *CaseRow) any { return &r.Product }, true},
		{"worth", "c.worth", func(r *CaseRow) any { return &r.Worth }, false}, {"amount", "CAST(c.amount AS REAL)", func(r *CaseRow) any { return &r.Amount }, false}, {"currency", "c.currency", func(r *CaseRow) any { return &r.Currency }, false},
		{"moneyOn", "c.money_on", func(r *CaseRow) any { return &r.MoneyOn }, false}, {"openedAt", "c.opened_at", func(r *CaseRow) any { return &r.OpenedAt }, false}, {"changedAt", "c.changed_at", func(r *CaseRow) any { return &r.ChangedAt }, false},
		{"cameBack", "c.came_back", func(r *CaseRow) any { return &r.CameBack }, false},
	}}
	return l.page(tx, q)
}

// UseRow is a line of the list of use: a counted product on a device.
type UseRow struct {
	ID        string    `json:"id"`
	DeviceID  int64     `json:"deviceId"`
	Device    string    `json:"device"`
	Unit      string    `json:"unit"`
	User      string    `json:"user"`
	Age       string    `json:"age"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Class     string    `json:"class"`
	Used      int64     `json:"used"`
	Measured  int64     `json:"measured"`
	Last      civil.Day `json:"last"`
}

// UsePage reads a page of the list of use.
func (tx *Tx) UsePage(q ListQuery) (Page[UseRow], error) {
	l := list[UseRow]{from: "idle_fact i JOIN device d ON d.id = i.device_id JOIN product p ON p.id = i.product_id LEFT JOIN device_fact f ON f.device_id = d.id", key: "(i.device_id || ':' || i.product_id)", sort: "last", special: deviceFilters("d"), columns: []column[UseRow]{
		{"id", "(i.device_id || ':' || i.product_id)", func(r *UseRow) any { return &r.ID }, false}, {"deviceId", "i.device_id", func(r *UseRow) any { return &r.DeviceID }, false},
		{"device", "d.name", func(r *UseRow) any { return &r.Device }, true}, {"unit", "d.org_unit", func(r *UseRow) any { return &r.Unit }, true}, {"user", "i.person_code", func(r *UseRow) any { return &r.User }, true},
		{"age", "coalesce(f.age, 'never')", func(r *UseRow) any { return &r.Age }, false},
		{"productId", "i.product_id", func(r *UseRow) any { return &r.ProductID }, false}, {"publisher", "p.publisher", func(r *UseRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *UseRow) any { return &r.Product }, true},
		{"class", "i.class", func(r *UseRow) any { return &r.Class }, false}, {"used", "i.used", func(r *UseRow) any { return &r.Used }, false}, {"measured", "i.measured", func(r *UseRow) any { return &r.Measured }, false},
		{"last", "i.last_use", func(r *UseRow) any { return &r.Last }, false},
	}}
	return l.page(tx, q)
}

// AsideRow is a line that was put aside.
type AsideRow struct {
	ID        int64  `json:"id"`
	Kind      string `json:"kind"`
	File      string `json:"file"`
	Line      int64  `json:"line"`
	Content   string `json:"content"`
	Reason    string `json:"reason"`
	State     string `json:"state"`
	ChangedAt int64  `json:"changedAt" unit:"unix"`
	Author    string `json:"author"`
}

// AsidePage reads a page of lines put aside.
func (tx *Tx) AsidePage(q ListQuery) (Page[AsideRow], error) {
	l := list[AsideRow]{from: "set_aside s", key: "s.id", sort: "id", columns: []column[AsideRow]{
		{"id", "s.id", func(r *AsideRow) any { return &r.ID }, false}, {"kind", "s.kind", func(r *AsideRow) any { return &r.Kind }, false}, {"file", "s.file", func(r *AsideRow) any { return &r.File }, true},
		{"line", "s.line", func(r *AsideRow) any { return &r.Line }, false}, {"content", "s.content", func(r *AsideRow) any { return &r.Content }, true}, {"reason", "s.reason", func(r *AsideRow) any { return &r.Reason }, true},
		{"state", "s.state", func(r *AsideRow) any { return &r.State }, false}, {"changedAt", "s.changed_at", func(r *AsideRow) any { return &r.ChangedAt }, false}, {"author", "s.author", func(r *AsideRow) any { return &r.Author }, false},
	}}
	return l.page(tx, q)
}
