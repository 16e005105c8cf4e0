package snapshot

import (
	"ensomet/internal/sqlite"
)

// Remark is what somebody noted about a product, or about its install on a device.
type Remark struct {
	ID         int64
	Product    int64
	Device     int64 // 0 is the title itself
	DeviceCode string
	DeviceName string
	Name       string // of the product
	Text       string
	Author     string
	At         int64
}

// Remarks reads the remarks about a product and its installs, or about the installs of a device; the other is 0.
func Remarks(tx *sqlite.Tx, product, device int64) ([]Remark, error) {
	return sqlite.Select[Remark](tx, `SELECT m.id, m.product_id AS product,
		m.device_id AS device, coalesce(d.code, '') AS device_code, coalesce(d.name, '') AS device_name,
		p.name, m.text, m.author, m.at FROM remark m JOIN product p ON p.id = m.product_id LEFT JOIN device d
		ON d.id = m.device_id WHERE m.dropped_at = 0 AND (?1 = 0 OR m.product_id = ?1) AND (?2 = 0 OR
		m.device_id = ?2) ORDER BY m.id`, product, device)
}
