package counts

import (
	"encoding/binary"
	"iter"

	"ensomet/internal/sqlite"
)

// Products says which products are on devices, by what is kept of these. Its zero value knows none.
type Products struct {
	of []int64 // by the number of a meaning; 0 is none
}

// ReadProducts reads what products the numbers of all meanings are of.
func ReadProducts(tx *sqlite.Tx) (Products, error) {
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, product_id FROM counted_as WHERE product_id <> 0 ORDER BY id DESC")
	if err != nil {
		return Products{}, err
	}
	var out Products
	err = sqlite.Each(rows, func() error {
		var id, product int64
		err := rows.Scan(&id, &product)
		if out.of == nil {
			out.of = make([]int64, id+1)
		}
		out.of[id] = product
		return err
	})
	return out, err
}

// On lists the products of the installs that are kept of a device, as its column has them; one may come several times.
func (p Products) On(installs []byte) iter.Seq[int64] {
	return func(yield func(int64) bool) {
		left, n := binary.Uvarint(installs)
		c := counted(0)
		for ; left > 0 && n > 0; left-- {
			installs = installs[n:]
			var more uint64
			more, n = binary.Uvarint(installs)
			c += counted(more)
			if m := c.meaning(); m < int64(len(p.of)) && p.of[m] != 0 && !yield(p.of[m]) {
				return
			}
		}
	}
}
