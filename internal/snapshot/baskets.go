package snapshot

// BasketMeasure is one measure of a basket, in the words of people: codes instead of numbers. Which fields count
// depends on its kind.
type BasketMeasure struct {
	Kind     string   `json:"kind" enum:"remove,reclaim,move,buy,upgrade,version,metric,right,maintenance,lapse"`
	Product  int64    `json:"product"`
	Devices  []string `json:"devices,omitempty" doc:"device_id"`
	Users    []string `json:"users,omitempty" doc:"user_id"`
	Line     string   `json:"line,omitempty" doc:"entitlement_id"`
	Quantity int64    `json:"quantity,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Country  string   `json:"country,omitempty"`
	Version  string   `json:"version,omitempty"`
	Edition  string   `json:"edition,omitempty"`
	Metric   string   `json:"metric,omitempty"`
	Right    string   `json:"right,omitempty"`
	Until    string   `json:"until,omitempty"`
	Price    string   `json:"price,omitempty" doc:"of one; empty is the price of the line, else the list price"`
	Currency string   `json:"currency,omitempty"`
}
