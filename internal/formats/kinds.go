package formats

import (
	"strings"

	"ensomet/internal/core/refuse"
)

// Kind is a kind of file: its name, its columns in the order of the contract, and the columns that it cannot do
// without. OutOnly are columns that an export adds and an import passes over.
type Kind struct {
	Name              string
	Columns, Required []string
	OutOnly           []string
	InOnly            bool     // it is taken in and never written
	Secret            []string // columns whose values are never kept as they came, but by their last signs
}

func kind(name, required, columns string) *Kind {
	return &Kind{Name: name, Columns: strings.Fields(columns), Required: strings.Fields(required)}
}

// The kinds of files, in the order in which a folder is read: what others refer to comes first.
var (
	Titles = kind(
		"titles",
		"publisher product",
		`publisher product edition edition_rank version category licence_model list_price currency default_metric suite
		released general_support_end extended_support_end end_of_life aliases`,
	)
	Publishers = kind("publishers", "publisher", `publisher aliases successor`)
	Rates      = kind("rates", "currency on per_eur", `currency on per_eur`)
	Sources    = kind("sources", "source", `source covers trust silent_after_days state retired_on`)
	Users      = kind(
		"users",
		"user_id",
		`user_id name email org_unit site status left_on log_on_names manager cost_centre directory_id account_kind`,
	)
	Devices = kind(
		"devices",
		"device_id",
		`device_id name kind environment org_unit site country ip_address directory_path primary_user os_name os_version
		processors cores virtual_cores core_factor host_id cluster pinned portable status last_scan serial maker model machine_id hardware_addresses
		directory_id memory_mb`,
	)
	Contracts    = kind("contracts", "contract", `contract publisher name start end notice_days renews owner note`)
	Entitlements = &Kind{
		Name:     "entitlements",
		Columns:  entitlementColumns(),
		Required: []string{"entitlement_id", "product", "metric", "quantity"},
	}
	Transactions = kind(
		"transactions",
		"entitlement_id type on quantity",
		`entitlement_id type on quantity end price currency order note request nth`,
	)
	Keys        = kind("keys", "entitlement_id key", `entitlement_id key note`)
	Assignments = kind("assignments", "entitlement_id", `entitlement_id user_id device_id from until`)
	Policies    = kind(
		"policies",
		"stance",
		`publisher product category group stance days from_time to_time reason owner until`,
	)
	Installs = kind(
		"installs",
		"device_id name",
		`device_id publisher name version edition architecture language install_date install_path file_name tag_id purl cpe last_used source seen_at key licence`,
	)
	Usage = kind(
		"usage",
		"device_id started_at",
		`device_id user_id file_name product started_at ended_at active_seconds`,
	)
	ProcessEvents = kind(
		"process_events",
		"device_id event at",
		`device_id event at pid file_name user_id started_at active_seconds`,
	)
	Pools      = kind("pools", "pool product", `pool publisher product server quantity expires`)
	PoolEvents = kind(
		"pool_events",
		"pool event at",
		`pool event session user_id device_id at licences active_seconds`,
	)
	Positions = kind(
		"position",
		"product metric",
		`publisher product metric scope owned needed covered shortfall surplus needed_low needed_high exposure currency as_of`,
	)

	Kinds = []*Kind{
		Titles,
		Publishers,
		Rates,
		Sources,
		Users,
		Devices,
		Contracts,
		Entitlements,
		Transactions,
		Keys,
		Assignments,
		Policies,
		Installs,
		Usage,
		ProcessEvents,
		Pools,
		PoolEvents,
	}
)

func init() {
	Keys.InOnly = true
	Installs.Secret, Keys.Secret = []string{"key"}, []string{"key"}
	Installs.OutOnly = strings.Fields(
		"title_publisher title_product title_edition title_version recognised_by suite counted why_not_counted",
	)
}

// KindByName finds a kind by its name, with or without .csv.
func KindByName(name string) (*Kind, error) {
	name = strings.TrimSuffix(strings.ToLower(name), ".csv")
	var names []string
	for _, k := range Kinds {
		if k.Name == name {
			return k, nil
		}
		names = append(names, k.Name)
	}
	return nil, refuse.Errorf("there is no kind of file called %q; there are %s", name, strings.Join(names, ", "))
}

// Lacks reports whether a header is without a column that the kind needs.
func (k *Kind) Lacks(headers []string) bool {
	have := map[string]bool{}
	for _, h := range headers {
		have[strings.ToLower(strings.TrimSpace(h))] = true
	}
	for _, r := range k.Required {
		if !have[r] {
			return true
		}
	}
	return false
}

// GuessKind returns the kind that most of a header's columns fit, by our names for them or by words that the trade
// uses.
func GuessKind(headers []string) *Kind {
	best, most := Installs, -1
	for _, k := range Kinds {
		score := 0
		mapped := map[string]bool{}
		for _, p := range Propose(k, headers, nil) {
			if p.Column != Keep && p.Column != Leave {
				score += 2
				mapped[p.Column] = true
			} else {
				score--
			}
		}
		for _, r := range k.Required {
			if mapped[r] {
				score += 2
			} else {
				score -= 4
			}
		}
		if score > most {
			best, most = k, score
		}
	}
	return best
}
