package lot_test

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
)

// What stands in databases is read, and written again word for word; the texts of a kind
// say all that its payload can say.
func TestStoredTextsStay(t *testing.T) {
	golden := lottest.Stored(t)
	for _, kind := range lot.Kinds() {
		for _, data := range golden[kind] {
			p, err := lot.Decode(kind, []byte(data))
			if err != nil {
				t.Errorf("%s: %v", kind, err)
				continue
			}
			again, err := json.Marshal(p)
			if err != nil || string(again) != data {
				t.Errorf("%s: %v\nstored  %s\nwritten %s", kind, err, data, again)
			}
			if lot.KindOf(p) != kind {
				t.Errorf("the payload of %s is of %q", kind, lot.KindOf(p))
			}
		}
		if kind.Name() == "" {
			t.Errorf("%s has no name", kind)
		}
		for name := range fields(kind.Payload()) {
			if !strings.Contains(strings.Join(golden[kind], ""), `"`+name+`":`) {
				t.Errorf("testdata/wire.golden has no line in which %s says %s", kind, name)
			}
		}
	}
	if len(golden) != len(lot.Kinds()) {
		t.Errorf("lines for %d of %d kinds", len(golden), len(lot.Kinds()))
	}
	if _, err := lot.Decode("eaten", []byte("{}")); err == nil {
		t.Error("a kind that is not known was read")
	}
	if _, err := lot.Decode("moved", []byte(`{"place_id":1,"plaice":2}`)); err == nil {
		t.Error("a field that is not known was read")
	}
}

// fields are the JSON names of a payload's fields.
func fields(p reflect.Type) map[string]bool {
	names := map[string]bool{}
	for i := range p.NumField() {
		f := p.Field(i)
		if f.Anonymous && f.Tag.Get("json") == "" {
			for name := range fields(f.Type) {
				names[name] = true
			}
			continue
		}
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		names[name] = true
	}
	return names
}

// Nothing is let in of which nothing is known: an assessment that answers no gate opens
// none, and a place that is not the kitchen's takes no fish.
func TestWhatIsMissingDenies(t *testing.T) {
	golden, gated, placed := lottest.Stored(t), 0, 0
	for _, kind := range lot.Kinds() {
		p, err := lot.Decode(kind, []byte(golden[kind][len(golden[kind])-1]))
		if err != nil {
			t.Fatal(err)
		}
		x, isPlaced := p.(lot.Placed)
		_, isGated := p.(lot.Gated)
		if !isGated && !(isPlaced && x.In() != 0) {
			continue
		}
		h, hours := before(kind)
		var s *lot.State
		if h.Events != nil {
			s = h.Fold(t)
		}
		f := facts(hours)
		if isPlaced {
			placed++
			f.Places = nil
			if err := refusal(s, f, hours, p).On("place_id"); err == "" {
				t.Errorf("%s into a place that is not there", kind)
			}
			f = facts(hours)
		}
		if isGated {
			gated++
			if wrong := refusal(s, f, hours, p); len(wrong) > 0 {
				t.Errorf("%s, all gates open: %v", kind, wrong)
			}
			f.Answers = nil
			if refusal(s, f, hours, p).On("lot") == "" {
				t.Errorf("%s through a gate that nobody answers for", kind)
			}
		}
	}
	if gated < 3 || placed < 7 {
		t.Errorf("%d gated kinds and %d with a place: the test sees too little", gated, placed)
	}
}

// One gate: each kind that takes a lot out of the kitchen asks the assessment, but for what always
// leaves: what is discarded or sent back. Those ask nobody.
func TestWhatLeavesAsksTheGate(t *testing.T) {
	always := map[lot.Kind]bool{"discarded": true, "refused": true, "parted": true, "put_with": true} // the fish goes on, with its clocks
	golden, left := lottest.Stored(t), 0
	for _, kind := range lot.Kinds() {
		h, hours := before(kind)
		if h.Events == nil {
			continue
		}
		p, err := lot.Decode(kind, []byte(golden[kind][len(golden[kind])-1]))
		if err != nil {
			t.Fatal(err)
		}
		was := h.Fold(t)
		h.Add(hours, p)
		if after := h.Fold(t); was.Status != lot.OnHand || after.Status == lot.OnHand {
			continue
		}
		left++
		if _, gated := p.(lot.Gated); gated == always[kind] {
			t.Errorf("%s takes a lot out: asks a gate %v", kind, gated)
		}
		f := facts(hours)
		f.Answers = nil
		if bad := refusal(was, f, hours, p); always[kind] && kind != "parted" && kind != "put_with" && len(bad) > 0 {
			t.Errorf("%s is not let out: %v", kind, bad)
		}
	}
	if left < 4 {
		t.Errorf("%d kinds take a lot out: the test sees too little", left)
	}
}

// The server computes: what follows from the rest of an event, or stands for a manager's word, is what
// the server says of it, whatever the event said.
func TestFiguresOfARequestAreNotTrusted(t *testing.T) {
	forged := map[lot.Kind]string{
		"pulled":   `{"keeps_hours":1e6,"ice_free_hours":0.001,"h_w_m2k":0.5}`,
		"froze":    `{"h_w_m2k":900,"power_w":90000,"batch_kg":0.001}`,
		"tested":   `{"met":true,"finding":"all good","results":[900,900,900,900,900,900,900,900,900]}`,
		"released": `{"by_manager":true}`,
		"cut":      `{"labour_cents":99999}`,
		"returned": `{"by_manager":true}`,
		"hung":     `{"by_manager":true}`,
	}
	golden := lottest.Stored(t)
	for kind, lie := range forged {
		var data map[string]any
		for _, text := range []string{golden[kind][0], lie} {
			if err := json.Unmarshal([]byte(text), &data); err != nil {
				t.Fatal(err)
			}
		}
		text, _ := json.Marshal(data)
		p, err := lot.Decode(kind, text)
		if err != nil {
			t.Fatal(kind, err)
		}
		h, hours := before(kind)
		admitted, _ := lot.Admit(h.Fold(t), facts(hours), lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, p)
		stored, _ := json.Marshal(admitted.Payload)
		var now map[string]any
		if err := json.Unmarshal(stored, &now); err != nil {
			t.Fatal(err)
		}
		var claimed map[string]any
		if err := json.Unmarshal([]byte(lie), &claimed); err != nil {
			t.Fatal(err)
		}
		for field, value := range claimed {
			if field != "results" && reflect.DeepEqual(now[field], value) {
				t.Errorf("%s: %s stays %v, as the request had it", kind, field, value)
			}
		}
	}
}
