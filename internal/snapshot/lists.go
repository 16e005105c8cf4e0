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
		Columns: []sqlite.Column[DeviceRow]{
			sqlite.Plain("id", "d.id", func(r *DeviceRow) any { return &r.ID }),
			sqlite.Searched("code", "d.code", func(r *DeviceRow) any { return &r.Code }),
			sqlite.Searched("name", "d.name", func(r *DeviceRow) any { return &r.Name }),
			sqlite.Plain("kind", "d.kind", func(r *DeviceRow) any { return &r.Kind }),
			sqlite.Plain("environment", "d.environment", func(r *DeviceRow) any { return &r.Environment }),
			sqlite.Searched("unit", "d.org_unit", func(r *DeviceRow) any { return &r.Unit }),
			sqlite.Searched("site", "d.site", func(r *DeviceRow) any { return &r.Site }),
			sqlite.Searched("user", "d.primary_user", func(r *DeviceRow) any { return &r.User }),
			sqlite.Plain("country", "d.country", func(r *DeviceRow) any { return &r.Country }),
			sqlite.Plain("hosting", "d.hosting", func(r *DeviceRow) any { return &r.Hosting }),
			sqlite.Plain("os", "trim(d.os_name || ' ' || d.os_version)", func(r *DeviceRow) any { return &r.OS }),
			sqlite.Plain("cluster", "d.cluster", func(r *DeviceRow) any { return &r.Cluster }),
			sqlite.Plain(
				"hardwareAge",
				"f.hardware_age",
				func(r *DeviceRow) any { return &r.HardwareAge },
			),
			sqlite.Plain("useAge", "f.use_age", func(r *DeviceRow) any { return &r.UseAge }),
			sqlite.Plain(
				"directoryAge",
				"f.directory_age",
				func(r *DeviceRow) any { return &r.DirectoryAge },
			),
			sqlite.Plain("namesakes", "f.namesakes", func(r *DeviceRow) any { return &r.Namesakes }),
			sqlite.Plain("differ", "f.disagreements", func(r *DeviceRow) any { return &r.Differ }),
			sqlite.Plain("status", "d.status", func(r *DeviceRow) any { return &r.Status }),
			sqlite.Plain("lastSeen", "f.last_seen", func(r *DeviceRow) any { return &r.LastSeen }),
			sqlite.Plain("age", "f.age", func(r *DeviceRow) any { return &r.Age }),
			sqlite.Plain("installs", "f.installs", func(r *DeviceRow) any { return &r.Installs }),
			sqlite.Plain(
				"unrecognised",
				"f.unrecognised",
				func(r *DeviceRow) any { return &r.Unrecognised },
			),
			sqlite.Plain("counted", "f.counted", func(r *DeviceRow) any { return &r.Counted }),
			sqlite.Plain("cases", "f.cases", func(r *DeviceRow) any { return &r.Cases }),
		},
	}
	return l
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
	Money     string  `json:"money" doc:"in euros, what would follow if the first proposal were right"`
	Findings  int64   `json:"findings"`
}

// NameList is the list of raw names.
func NameList() *sqlite.List[NameRow] {
	l := &sqlite.List[NameRow]{
		From:   "name_fact n",
		Key:    "n.key",
		Sort:   "-installs",
		Orders: map[string]string{"money": "n.money"},
		Columns: []sqlite.Column[NameRow]{
			sqlite.Plain("key", "n.key", func(r *NameRow) any { return &r.Key }),
			sqlite.Searched("publisher", "n.publisher", func(r *NameRow) any { return &r.Publisher }),
			sqlite.Searched("name", "n.name", func(r *NameRow) any { return &r.Name }),
			sqlite.Plain("versions", "n.versions", func(r *NameRow) any { return &r.Versions }),
			sqlite.Plain("records", "n.records", func(r *NameRow) any { return &r.Records }),
			sqlite.Plain("installs", "n.installs", func(r *NameRow) any { return &r.Installs }),
			sqlite.Plain("devices", "n.devices", func(r *NameRow) any { return &r.Devices }),
			sqlite.Plain("stale", "n.stale", func(r *NameRow) any { return &r.Stale }),
			sqlite.Plain("state", "n.state", func(r *NameRow) any { return &r.State }),
			sqlite.Plain("gather", "n.gather", func(r *NameRow) any { return &r.Gather }),
			sqlite.Searched("likely", "n.likely", func(r *NameRow) any { return &r.Likely }),
			sqlite.Plain("score", "n.score", func(r *NameRow) any { return &r.Score }),
			sqlite.Amount("money", "printf('%.2f', n.money)", func(r *NameRow) any { return &r.Money }),
			sqlite.Plain("findings", "n.findings", func(r *NameRow) any { return &r.Findings }),
		}}
	return l
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

// ProductList is the list of products.
func ProductList() *sqlite.List[ProductRow] {
	first := func(col string) string {
		return "coalesce((SELECT t." + col + " FROM title t WHERE t.product_id = p.id AND t." + col +
			" <> '' ORDER BY t.id LIMIT 1), '')"
	}
	l := &sqlite.List[ProductRow]{
		From: "product p LEFT JOIN product_fact f ON f.product_id = p.id",
		Key:  "p.id",
		Sort: "-devices",
		Columns: []sqlite.Column[ProductRow]{
			sqlite.Plain("id", "p.id", func(r *ProductRow) any { return &r.ID }),
			sqlite.Searched("publisher", "p.publisher", func(r *ProductRow) any { return &r.Publisher }),
			sqlite.Searched("product", "p.name", func(r *ProductRow) any { return &r.Product }),
			sqlite.Plain("category", first("category"), func(r *ProductRow) any { return &r.Category }),
			sqlite.Plain("model", first("licence_model"), func(r *ProductRow) any { return &r.Model }),
			sqlite.Plain(
				"releases",
				"(SELECT count(*) FROM title t WHERE t.product_id = p.id)",
				func(r *ProductRow) any { return &r.Releases },
			),
			sqlite.Plain("versions", "coalesce(f.versions, 0)", func(r *ProductRow) any { return &r.Versions }),
			sqlite.Plain("installs", "coalesce(f.installs, 0)", func(r *ProductRow) any { return &r.Installs }),
			sqlite.Plain("devices", "coalesce(f.devices, 0)", func(r *ProductRow) any { return &r.Devices }),
			sqlite.Plain("counted", "coalesce(f.counted, 0)", func(r *ProductRow) any { return &r.Counted }),
			sqlite.Plain("stale", "coalesce(f.stale, 0)", func(r *ProductRow) any { return &r.Stale }),
			sqlite.Plain("folded", "coalesce(f.folded, 0)", func(r *ProductRow) any { return &r.Folded }),
			sqlite.Plain("leftOut", "coalesce(f.left_out, 0)", func(r *ProductRow) any { return &r.LeftOut }),
			sqlite.Plain(
				"rights",
				"(SELECT count(*) FROM entitlement e WHERE e.product_id = p.id AND e.withdrawn_at = 0)",
				func(r *ProductRow) any { return &r.Rights },
			),
			sqlite.Searched(
				"tags",
				"coalesce((SELECT group_concat(tag, ', ') FROM (SELECT tag FROM tag g WHERE g.product_id = p.id "+
					"ORDER BY tag)), '')",
				func(r *ProductRow) any { return &r.Tags },
			),
			sqlite.Plain(
				"watched",
				"EXISTS (SELECT 1 FROM watch w WHERE w.product_id = p.id)",
				func(r *ProductRow) any { return &r.Watched },
			),
		},
	}
	l.Special = map[string]func(string) (string, []any){"tag": func(v string) (string, []any) {
		return "EXISTS (SELECT 1 FROM tag g WHERE g.product_id = p.id AND g.tag = ?)", []any{v}
	}}
	return l
}

// PositionRow is a line of the position.
type PositionRow struct {
	ID        string `json:"id"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Metric    string `json:"metric"`
	Counted   bool   `json:"counted"`
	Owned     int64  `json:"owned"`
	Needed    int64  `json:"needed"`
	Covered   int64  `json:"covered"`
	Short     int64  `json:"short"`
	Surplus   int64  `json:"surplus"`
	Free      int64  `json:"free" doc:"covered without a right of its own"`
	Low       int64  `json:"low"`
	High      int64  `json:"high"`
	Exposure  string `json:"exposure"`
	Spare     string `json:"spare"`
	Currency  string `json:"currency"`
	State     string `json:"state"` // short, even, spare, unknown
	Balance   int64  `json:"balance"`
	Doubtful  bool   `json:"doubtful"`
	Pack      int64  `json:"pack" doc:"what it is bought in"`
	Watched   bool   `json:"watched"`
}

// PositionList is the list of the position. The default order puts the greatest exposure first.
func PositionList() *sqlite.List[PositionRow] {
	l := &sqlite.List[PositionRow]{
		From:   "position n JOIN product p ON p.id = n.product_id",
		Key:    "n.product_id, n.metric",
		Sort:   "money",
		Orders: map[string]string{"exposure": "n.exposure", "spare": "n.spare_value"},
		Columns: []sqlite.Column[PositionRow]{
			sqlite.Plain("id", "(n.product_id || ':' || n.metric)", func(r *PositionRow) any { return &r.ID }),
			sqlite.Plain("productId", "n.product_id", func(r *PositionRow) any { return &r.ProductID }),
			sqlite.Searched("publisher", "p.publisher", func(r *PositionRow) any { return &r.Publisher }),
			sqlite.Searched("product", "p.name", func(r *PositionRow) any { return &r.Product }),
			sqlite.Searched("metric", "n.metric", func(r *PositionRow) any { return &r.Metric }),
			sqlite.Plain("counted", "n.counted", func(r *PositionRow) any { return &r.Counted }),
			sqlite.Plain("owned", "n.owned", func(r *PositionRow) any { return &r.Owned }),
			sqlite.Plain("needed", "n.needed", func(r *PositionRow) any { return &r.Needed }),
			sqlite.Plain("covered", "n.covered", func(r *PositionRow) any { return &r.Covered }),
			sqlite.Plain("short", "n.short", func(r *PositionRow) any { return &r.Short }),
			sqlite.Plain("surplus", "n.surplus", func(r *PositionRow) any { return &r.Surplus }),
			sqlite.Plain("free", "n.free", func(r *PositionRow) any { return &r.Free }),
			sqlite.Plain("pack", "n.pack", func(r *PositionRow) any { return &r.Pack }),
			sqlite.Plain(
				"watched",
				"(n.product_id IN (SELECT product_id FROM watch))",
				func(r *PositionRow) any { return &r.Watched },
			),
			sqlite.Plain("low", "n.low", func(r *PositionRow) any { return &r.Low }),
			sqlite.Plain("high", "n.high", func(r *PositionRow) any { return &r.High }),
			sqlite.Amount("exposure", "n.exposure_text", func(r *PositionRow) any { return &r.Exposure }),
			sqlite.Amount("spare", "n.spare_text", func(r *PositionRow) any { return &r.Spare }),
			sqlite.Plain("currency", "n.currency", func(r *PositionRow) any { return &r.Currency }),
			sqlite.Plain(
				"state",
				"(CASE WHEN n.counted = 0 THEN 'unknown' WHEN n.short > 0 THEN 'short' WHEN n.surplus > 0 THEN "+
					"'spare' ELSE 'even' END)",
				func(r *PositionRow) any { return &r.State },
			),
			sqlite.Plain("balance", "(n.surplus - n.short)", func(r *PositionRow) any { return &r.Balance }),
			// exposure below zero, spare value above
			sqlite.OrderOnly[PositionRow](
				"money",
				"(CASE WHEN n.short > 0 THEN -n.exposure - 1e-6 ELSE n.spare_value END)",
			),
			sqlite.Plain(
				"doubtful",
				"((n.low <= n.owned) <> (n.high <= n.owned))",
				func(r *PositionRow) any { return &r.Doubtful },
			),
		},
	}
	return l
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

// EntitlementList is the list of entitlements.
func EntitlementList() *sqlite.List[EntitlementRow] {
	l := &sqlite.List[EntitlementRow]{
		From:   "entitlement e JOIN product p ON p.id = e.product_id",
		Where:  "e.withdrawn_at = 0",
		Key:    "e.id",
		Sort:   "code",
		Orders: map[string]string{"unitPrice": sqlite.InEUR("coalesce(e.unit_price, '-1')", "e.currency")},
		Columns: []sqlite.Column[EntitlementRow]{
			sqlite.Plain("id", "e.id", func(r *EntitlementRow) any { return &r.ID }),
			sqlite.Searched("code", "e.code", func(r *EntitlementRow) any { return &r.Code }),
			sqlite.Plain("productId", "e.product_id", func(r *EntitlementRow) any { return &r.ProductID }),
			sqlite.Searched("publisher", "p.publisher", func(r *EntitlementRow) any { return &r.Publisher }),
			sqlite.Searched("product", "p.name", func(r *EntitlementRow) any { return &r.Product }),
			sqlite.Searched("edition", "e.edition", func(r *EntitlementRow) any { return &r.Edition }),
			sqlite.Plain("version", "e.version", func(r *EntitlementRow) any { return &r.Version }),
			sqlite.Plain("metric", "e.metric", func(r *EntitlementRow) any { return &r.Metric }),
			sqlite.Plain("quantity", "e.quantity", func(r *EntitlementRow) any { return &r.Quantity }),
			sqlite.Plain("kind", "e.kind", func(r *EntitlementRow) any { return &r.Kind }),
			sqlite.Plain("start", "e.start", func(r *EntitlementRow) any { return &r.Start }),
			sqlite.Plain("end", "e.end", func(r *EntitlementRow) any { return &r.End }),
			sqlite.Plain("purchased", "e.purchased", func(r *EntitlementRow) any { return &r.Purchased }),
			sqlite.Amount(
				"unitPrice",
				"coalesce(e.unit_price, '')",
				func(r *EntitlementRow) any { return &r.UnitPrice },
			),
			sqlite.Plain("currency", "e.currency", func(r *EntitlementRow) any { return &r.Currency }),
			sqlite.Searched(
				"scope",
				"trim(e.scope_unit || ' ' || e.scope_country)",
				func(r *EntitlementRow) any { return &r.Scope },
			),
			sqlite.Plain("rights", "e.rights", func(r *EntitlementRow) any { return &r.Rights }),
			sqlite.Searched("contract", "e.contract", func(r *EntitlementRow) any { return &r.Contract }),
			sqlite.Plain("author", "e.author", func(r *EntitlementRow) any { return &r.Author }),
			sqlite.Plain("changedAt", "e.changed_at", func(r *EntitlementRow) any { return &r.ChangedAt }),
		},
	}
	return l
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
	Amount    string    `json:"amount"`
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
		Columns: []sqlite.Column[CaseRow]{
			sqlite.Plain("id", "c.id", func(r *CaseRow) any { return &r.ID }),
			sqlite.Plain("kind", "c.kind", func(r *CaseRow) any { return &r.Kind }),
			sqlite.Plain("state", "c.state", func(r *CaseRow) any { return &r.State }),
			sqlite.Plain("ended", "(c.state IN ('gone', 'lapsed', 'kept'))", func(r *CaseRow) any { return &r.Ended }),
			sqlite.Plain("deviceId", "c.device_id", func(r *CaseRow) any { return &r.DeviceID }),
			sqlite.Searched("device", "coalesce(d.name, '')", func(r *CaseRow) any { return &r.Device }),
			sqlite.Searched("unit", "coalesce(d.org_unit, u.org_unit, '')", func(r *CaseRow) any { return &r.Unit }),
			sqlite.Searched("user", "coalesce(d.primary_user, u.code, '')", func(r *CaseRow) any { return &r.User }),
			sqlite.Plain("person", "coalesce(u.code, '')", func(r *CaseRow) any { return &r.Person }),
			sqlite.Plain("personId", "c.person_id", func(r *CaseRow) any { return &r.PersonID }),
			sqlite.Searched("pool", "coalesce(o.code, '')", func(r *CaseRow) any { return &r.Pool }),
			sqlite.Searched("about", "coalesce(d.name, u.name, o.code, '')", func(r *CaseRow) any { return &r.About }),
			sqlite.Plain("quantity", "c.quantity", func(r *CaseRow) any { return &r.Quantity }),
			sqlite.Plain("answer", "c.answer", func(r *CaseRow) any { return &r.Answer }),
			sqlite.Plain("answerBy", "c.answer_by", func(r *CaseRow) any { return &r.AnswerBy }),
			sqlite.Plain("keptUntil", "c.keep_until", func(r *CaseRow) any { return &r.KeptUntil }),
			sqlite.Plain("owner", "c.owner", func(r *CaseRow) any { return &r.Owner }),
			sqlite.Plain(
				"age",
				"(CASE WHEN d.id IS NULL THEN 'fresh' ELSE coalesce(f.age, 'never') END)",
				func(r *CaseRow) any { return &r.Age },
			),
			sqlite.Plain("productId", "c.product_id", func(r *CaseRow) any { return &r.ProductID }),
			sqlite.Searched("publisher", "p.publisher", func(r *CaseRow) any { return &r.Publisher }),
			sqlite.Searched("product", "p.name", func(r *CaseRow) any { return &r.Product }),
			sqlite.Plain("worth", "c.worth", func(r *CaseRow) any { return &r.Worth }),
			sqlite.Amount("amount", "c.amount", func(r *CaseRow) any { return &r.Amount }),
			sqlite.Plain("currency", "c.currency", func(r *CaseRow) any { return &r.Currency }),
			sqlite.Plain("moneyOn", "c.money_on", func(r *CaseRow) any { return &r.MoneyOn }),
			sqlite.Plain("openedAt", "c.opened_at", func(r *CaseRow) any { return &r.OpenedAt }),
			sqlite.Plain("changedAt", "c.changed_at", func(r *CaseRow) any { return &r.ChangedAt }),
			sqlite.Plain("cameBack", "c.came_back", func(r *CaseRow) any { return &r.CameBack }),
		},
	}
	return l
}
