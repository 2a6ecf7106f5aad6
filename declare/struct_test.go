package declare_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

type permit struct {
	Vessel struct {
		Name   string  `json:"name" label:"Vessel name" form:"required; maxLength=8"`
		Length float64 `json:"length" label:"Length overall" unit:"m" samples:"9.4|24|25" form:"exclusiveMinimum=0; maximum=24"`
	} `json:"vessel" form:"required"`
	Arrival *time.Time `json:"arrival,omitempty" form:"format=date"`
	Nights  uint8      `json:"nights" form:"maximum=30"`
	Channel string     `json:"channel" form:"enum=radio|phone"`
	Extras  []string   `json:"extras" form:"enum=water|fuel"`
	Policy  string     `json:"policy" form:"private"`
	Terms   bool       `json:"terms" form:"ticked; required"`
	Crew    []crewman  `json:"crew" form:"maxItems=2"`
	_       int        // no member of a body
}

type crewman struct {
	Name  string `json:"name" form:"required" samples:"Ada"`
	Pilot bool   `json:"pilot"`
}

func TestFromStructAndBack(t *testing.T) {
	source, err := declare.FromStruct[permit]("form: permit\nfields: {channel: {label: How we reach you}, crew/*/name: {samples: [Bo, Cy]}}\nsubmit: {url: /permits}")
	require.NoError(t, err)
	s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
	for path, raw := range map[string]string{
		"vessel/name": "Heron", "vessel/length": "9.40", "arrival": "2031-05-02", "nights": "3", "channel": "radio", "extras": "fuel\nwater", "policy": "P-1", "terms": "true",
	} {
		_, err := s.Apply(lifecycle.Edit(path, raw))
		require.NoError(t, err, path)
	}
	for _, e := range []lifecycle.Event{lifecycle.AddRow("crew"), lifecycle.Edit("crew/0/name", "Ada"), lifecycle.Edit("crew/0/pilot", "true")} {
		_, err := s.Apply(e)
		require.NoError(t, err)
	}
	require.Empty(t, s.Holds("").Words())
	f, _ := s.Field("policy")
	require.True(t, f.Declared().Private)
	f, _ = s.Field("vessel/length")
	require.Equal(t, "m [9.4 24 25]", fmt.Sprint(f.Declared().Unit, " ", f.Declared().Samples))
	f, _ = s.Field("crew/0/name")
	require.Equal(t, []string{"Bo", "Cy"}, f.Declared().Samples, "the file's word is the last")
	require.Equal(t, "Vessel name", source.Form.Fields[0].Label, "in the struct's order, whatever the settings mention")

	var p permit
	require.NoError(t, s.Decode(&p))
	at := time.Date(2031, 5, 2, 0, 0, 0, 0, time.UTC)
	require.Equal(t, "Heron 9.4 2031-05-02 3 radio [water fuel] P-1 true [{Ada true}]", fmt.Sprint(
		p.Vessel.Name, " ", p.Vessel.Length, " ", p.Arrival.Format(time.DateOnly), " ", p.Nights, " ", p.Channel, " ", p.Extras, " ", p.Policy, " ", p.Terms, " ", p.Crew))
	require.Equal(t, at, *p.Arrival)

	_, err = s.Apply(lifecycle.Edit("nights", "soon"))
	require.NoError(t, err)
	require.ErrorContains(t, s.Decode(&p), `nights: the answer "soon" does not fit uint8`)
	require.ErrorContains(t, s.Decode(&struct{ Ghost string }{}), "Ghost: the form has no such field")
	require.Error(t, s.Decode(p))
}

func TestMistakesInStructs(t *testing.T) {
	_, err := declare.FromStruct[struct {
		A string `form:"maxlength"`
		B func()
	}]("form: x")
	require.ErrorContains(t, err, `struct.A: tag maxlength: found no value; right would be`)
	require.ErrorContains(t, err, "struct.B: a func() cannot be a field")
	type loan struct {
		Name string `form:"maxlength=3"`
	}
	_, err = declare.FromStruct[loan]("form: x")
	require.ErrorContains(t, err, "loan.Name: tag maxlength=3: found no such keyword; right would be required, ")
	_, err = declare.FromStruct[permit]("form: x\nfields: {chanel: {}}")
	require.ErrorContains(t, err, "permit.form.yaml:2:10: found the path chanel, which the schema does not have; right would be channel")
	_, err = declare.FromStruct[int]("form: x")
	require.ErrorContains(t, err, "a form needs a struct, not int")
}

// An embedded struct's fields are among those of the struct that has it, as encoding/json
// has them, unless it is a member with a name.
func TestEmbeddedStructs(t *testing.T) {
	type Address struct {
		Street string `json:"street" form:"required"`
		Town   string `json:"town"`
	}
	type Keeper struct {
		Name string `json:"name"`
	}
	type allotment struct {
		Address
		*Keeper `json:"keeper"`
		Beds    int    `json:"beds"`
		Hidden  string `json:"-"`
	}
	source, err := declare.FromStruct[allotment]("form: allotment\nsubmit: {url: /}\n")
	require.NoError(t, err)
	paths := []string{}
	for _, f := range source.Form.Fields {
		paths = append(paths, f.Path)
	}
	require.Equal(t, []string{"street", "town", "keeper/name", "beds"}, paths)
	session, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
	for path, raw := range map[string]string{"street": "Sluice Lane", "keeper/name": "Ada", "beds": "11"} {
		_, err := session.Apply(lifecycle.Edit(path, raw))
		require.NoError(t, err)
	}
	var got allotment
	require.NoError(t, session.Decode(&got))
	require.Equal(t, "Sluice Lane", got.Street)
	require.Equal(t, "Ada", got.Keeper.Name)
	require.Equal(t, 11, got.Beds)
}
