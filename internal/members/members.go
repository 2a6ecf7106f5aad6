// Package members lists the fields of a struct as encoding/json has them, and reads the moments that stand
// in them.
package members

import (
	"reflect"
	"slices"
	"strings"
)

// Member is a field of a struct as it stands in a body.
type Member struct {
	Name  string // of the member
	Field reflect.StructField
}

// Of lists the fields of a struct as encoding/json has them: by the names of their
// json tags, without those that are named "-", and with those of an embedded struct among
// its own.
func Of(t reflect.Type) []Member {
	var list []Member
	var named [][]int // embedded structs that are a member with a name
	for _, field := range reflect.VisibleFields(t) {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		inside := slices.ContainsFunc(named, func(of []int) bool { return len(field.Index) > len(of) && slices.Equal(field.Index[:len(of)], of) })
		embedded := field.Type
		if embedded.Kind() == reflect.Pointer {
			embedded = embedded.Elem()
		}
		switch {
		case inside:
		case field.Anonymous && embedded.Kind() == reflect.Struct && name == "":
		case field.Anonymous && name != "", !field.Anonymous && field.IsExported() && name == "-":
			named = append(named, field.Index)
			if name != "-" {
				list = append(list, Member{name, field})
			}
		case field.IsExported():
			if name == "" {
				name = field.Name
			}
			list = append(list, Member{name, field})
		}
	}
	return list
}
