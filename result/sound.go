package result

import (
	"encoding/json"
	"reflect"
	"strings"
)

// Sound gives the parts that can be written: one that holds a number that is not finite is left out and named in Unshown, so that it does not take
// the others with it.
func (p Parts) Sound() Parts {
	v := reflect.ValueOf(&p).Elem()
	for i := range v.NumField() {
		if _, err := json.Marshal(v.Field(i).Interface()); err != nil {
			name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
			v.Field(i).SetZero()
			p.Unshown = append(p.Unshown, name)
		}
	}
	return p
}
