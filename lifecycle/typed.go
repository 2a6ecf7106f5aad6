package lifecycle

import (
	"errors"
	"reflect"
	"strconv"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/members"
)

// Decode writes the session's answers into a struct: each exported field by the
// name of its json tag, nested structs as objects, slices of structs as rows,
// slices of strings as several choices. An absent answer leaves a nil pointer,
// slice or zero value. The error joins what does not fit.
func (s *Session) Decode(into any) error {
	v := reflect.ValueOf(into)
	if v.Kind() != reflect.Pointer || v.IsNil() || v.Elem().Kind() != reflect.Struct {
		return errors.New("decode into a pointer to a struct, not " + v.Kind().String())
	}
	d := structDecoder{session: s}
	d.object(v.Elem(), "")
	return errors.Join(d.problems...)
}

type structDecoder struct {
	session  *Session
	problems []error
}

func (d *structDecoder) wrong(path, problem string) {
	d.problems = append(d.problems, &form.Error{Path: path, Problem: problem})
}

func (d *structDecoder) object(v reflect.Value, prefix string) {
	for _, m := range members.Of(v.Type()) {
		d.member(fieldOf(v, m.Field.Index), prefix+form.EscapeToken(m.Name))
	}
}

// fieldOf is a field of a struct, through the embedded ones on its way, which are made
// where they are not there.
func fieldOf(v reflect.Value, index []int) reflect.Value {
	for _, k := range index {
		if v.Kind() == reflect.Pointer {
			if v.IsNil() {
				v.Set(reflect.New(v.Type().Elem()))
			}
			v = v.Elem()
		}
		v = v.Field(k)
	}
	return v
}

func (d *structDecoder) member(v reflect.Value, path string) {
	if v.Kind() == reflect.Struct && v.Type() != reflect.TypeFor[time.Time]() {
		d.object(v, path+"/")
		return
	}
	if v.Kind() == reflect.Pointer && v.Type().Elem().Kind() == reflect.Struct && v.Type().Elem() != reflect.TypeFor[time.Time]() {
		object := reflect.New(v.Type().Elem())
		d.object(object.Elem(), path+"/")
		if v.SetZero(); !object.Elem().IsZero() {
			v.Set(object)
		}
		return
	}
	f, ok := d.session.Field(path)
	if !ok {
		d.wrong(path, "the form has no such field")
		return
	}
	if v.Kind() == reflect.Slice && f.Declared().Kind == form.KindRows {
		list := reflect.MakeSlice(v.Type(), 0, f.Rows())
		for row := range f.Rows() {
			at := path + "/" + strconv.Itoa(row)
			if item, isItem := d.session.Field(at); isItem && d.session.form.IsBlank(item.Place().Field, item.Value()) {
				continue // it is blank
			}
			list = reflect.Append(list, reflect.Zero(v.Type().Elem()))
			d.member(list.Index(list.Len()-1), at)
		}
		v.Set(list)
		return
	}
	value := f.Value()
	if value.Absent() {
		v.SetZero()
		return
	}
	if v.Kind() == reflect.Pointer {
		v.Set(reflect.New(v.Type().Elem()))
		v = v.Elem()
	}
	if !setTyped(v, value) {
		d.wrong(path, "the answer "+strconv.Quote(value.String())+" does not fit "+v.Type().String())
	}
}

// setTyped writes a value into a Go value that can hold it.
func setTyped(v reflect.Value, value form.Value) bool {
	text := value.String()
	if reads, does := v.Addr().Interface().(interface{ UnmarshalText([]byte) error }); does && v.Type() != reflect.TypeFor[time.Time]() {
		return reads.UnmarshalText([]byte(text)) == nil
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(text)
		return value.Kind != form.ValueUnparsed
	case reflect.Bool:
		v.SetBool(true)
		return value.Kind == form.ValueBoolean
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		n, err := strconv.ParseInt(text, 10, v.Type().Bits())
		v.SetInt(n)
		return err == nil && value.Kind == form.ValueNumber
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		n, err := strconv.ParseUint(text, 10, v.Type().Bits())
		v.SetUint(n)
		return err == nil && value.Kind == form.ValueNumber
	case reflect.Float32, reflect.Float64:
		n, err := strconv.ParseFloat(text, v.Type().Bits())
		v.SetFloat(n)
		return err == nil && value.Kind == form.ValueNumber
	case reflect.Slice:
		if v.Type().Elem().Kind() != reflect.String || value.Kind != form.ValueChoices {
			return false
		}
		options := value.Options()
		v.Set(reflect.MakeSlice(v.Type(), len(options), len(options)))
		for k, option := range options {
			v.Index(k).SetString(option)
		}
		return true
	case reflect.Struct:
		if v.Type() != reflect.TypeFor[time.Time]() {
			return false
		}
		at, ok := value.Time()
		if value.Kind == form.ValueTime {
			at, ok = members.Moment(text)
		}
		v.Set(reflect.ValueOf(at))
		return ok
	default:
		return false
	}
}
