package diagram

import (
	"bufio"
	"fmt"
	"html"
	"io"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// WriteSCXML writes the lifecycle of a form as State Chart XML (W3C
// Recommendation of 1 September 2015): the parts are regions of one parallel
// state, the events have the names of the lifecycle with dots for spaces. What
// an event depends on beside the state (the holds, the policies) is not said: of
// transitions with the same event the form takes the one that applies.
func WriteSCXML(out io.Writer, form *form.Form, arrows []Arrow) error {
	w := bufio.NewWriter(out)
	w.WriteString("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n")
	fmt.Fprintf(w, "<!-- %s -->\n", strings.ReplaceAll(html.EscapeString(form.Title), "--", "- -"))
	w.WriteString("<scxml xmlns=\"http://www.w3.org/2005/07/scxml\" version=\"1.0\" datamodel=\"null\" name=\"" + html.EscapeString(form.Name) + "\" initial=\"form\">\n")
	w.WriteString("  <parallel id=\"form\">\n")
	for _, p := range partsOf(arrows) {
		initial := p.states[0]
		if p.part == lifecycle.PartPrefill && form.Prefill.Loads() {
			initial = uint8(lifecycle.PrefillLoading)
		}
		fmt.Fprintf(w, "    <state id=\"%s\" initial=\"%s\">\n", p.part, stateID(p.part, initial))
		for _, state := range p.states {
			fmt.Fprintf(w, "      <state id=\"%s\">\n", stateID(p.part, state))
			for _, a := range arrows {
				if a.Part == p.part && a.From == state && a.From != a.To {
					fmt.Fprintf(w, "        <transition event=\"%s\" target=\"%s\"/>\n", strings.ReplaceAll(a.Cause(), " ", "."), stateID(p.part, a.To))
				}
			}
			w.WriteString("      </state>\n")
		}
		w.WriteString("    </state>\n")
	}
	w.WriteString("  </parallel>\n</scxml>\n")
	return w.Flush()
}

func stateID(part lifecycle.Part, state uint8) string { return part.String() + "." + part.State(state) }
