// Package resttest checks what routes are made with.
package resttest

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"
	"time"
)

// Translates checks that a translation puts every value under its own name: of values from a seed, each field of what
// comes out is what the field of the same name was, in lists, maps and what is within. What had no such field is empty.
func Translates[A, B any](t *testing.T, translate func(A) B) {
	t.Helper()
	r := rand.New(rand.NewPCG(1, 2))
	for range 20 {
		var a A
		fill(r, reflect.ValueOf(&a).Elem(), 4)
		b := translate(a)
		if err := same(reflect.ValueOf(a), reflect.ValueOf(b)); err != nil {
			t.Errorf("%T from %T: %v", b, a, err)
			return
		}
	}
}

// fill gives every exported field a value; lists have up to three, and nothing is nested deeper than depth.
func fill(r *rand.Rand, v reflect.Value, depth int) {
	switch v.Kind() {
	case reflect.Bool:
		v.SetBool(r.IntN(2) == 0)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(int64(r.IntN(100)) + 1)
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(uint64(r.IntN(100)) + 1)
	case reflect.Float32, reflect.Float64:
		v.SetFloat(r.Float64())
	case reflect.String:
		v.SetString(fmt.Sprint("text ", r.IntN(1_000_000)))
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[time.Time]() {
			v.Set(reflect.ValueOf(time.Unix(int64(r.IntN(1_000_000)), 0)))
			return
		}
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(r, v.Field(i), depth)
			}
		}
	case reflect.Array:
		for i := range v.Len() {
			fill(r, v.Index(i), depth)
		}
	case reflect.Slice:
		if depth == 0 {
			return
		}
		v.Set(reflect.MakeSlice(v.Type(), r.IntN(4), 4))
		for i := range v.Len() {
			fill(r, v.Index(i), depth-1)
		}
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		for range r.IntN(3) {
			key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
			fill(r, key, depth)
			fill(r, value, depth-1)
			v.SetMapIndex(key, value)
		}
	case reflect.Pointer:
		if depth > 0 && r.IntN(4) > 0 {
			v.Set(reflect.New(v.Type().Elem()))
			fill(r, v.Elem(), depth-1)
		}
	}
}

// same says where a value that came out is not what went in. What went in may have more fields.
func same(in, out reflect.Value) error {
	if in.Kind() != out.Kind() {
		return fmt.Errorf("%s became %s", in.Type(), out.Type())
	}
	switch out.Kind() {
	case reflect.Struct:
		for i := range out.NumField() {
			f := out.Type().Field(i)
			if !f.IsExported() {
				continue
			}
			from := in.FieldByName(f.Name)
			if !from.IsValid() && !out.Field(i).IsZero() {
				return fmt.Errorf("%s comes from nowhere", f.Name)
			} else if !from.IsValid() {
				continue
			}
			if err := same(from, out.Field(i)); err != nil {
				return fmt.Errorf("%s: %w", f.Name, err)
			}
		}
	case reflect.Slice, reflect.Array:
		if in.Len() != out.Len() || in.Kind() == reflect.Slice && in.IsNil() != out.IsNil() {
			return fmt.Errorf("%d of %d came through", out.Len(), in.Len())
		}
		for i := range out.Len() {
			if err := same(in.Index(i), out.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Map:
		if in.Len() != out.Len() {
			return fmt.Errorf("%d of %d came through", out.Len(), in.Len())
		}
		for _, key := range in.MapKeys() {
			value := out.MapIndex(key)
			if !value.IsValid() {
				return fmt.Errorf("%v did not come through", key)
			}
			if err := same(in.MapIndex(key), value); err != nil {
				return err
			}
		}
	case reflect.Pointer:
		if in.IsNil() != out.IsNil() {
			return fmt.Errorf("what is not there came, or did not")
		}
		if !in.IsNil() {
			return same(in.Elem(), out.Elem())
		}
	default:
		if fmt.Sprint(in.Interface()) != fmt.Sprint(out.Interface()) {
			return fmt.Errorf("%v became %v", in, out)
		}
	}
	return nil
}
