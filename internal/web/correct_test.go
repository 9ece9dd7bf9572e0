package web

import (
	"encoding/json"
	"net/http"
	"net/url"
	"reflect"
	"regexp"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// The form of each kind that can be corrected, sent back as it was shown, changes nothing:
// not what it rounds, nor what it does not show. One that is changed changes that alone.
func TestTheFormOfACorrectionChangesNothingElse(t *testing.T) {
	shown := 0
	for kind, texts := range lottest.Stored(t) {
		if !kind.Correctable() {
			continue
		}
		for _, text := range texts {
			old, err := lot.Decode(kind, []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			p := page{Zone: time.UTC, Actor: kitchen.Actor{Site: kitchen.Site{TimeZone: "UTC"},
				Person: kitchen.Person{TempScale: "F", MassScale: "lb"}}}
			v := correctView{Entry: kitchen.Entry{Event: lot.Event{Kind: kind}}}
			v.Entry.Payload = old
			if err := v.show(p); err != nil {
				t.Fatal(err)
			}
			sent := v.Sheet.Sends()
			for _, f := range v.Fields {
				shown++
				if f.Label == "" {
					t.Errorf("%s: %s has no label", kind, f.Name)
				}
			}
			read := func() lot.Payload {
				f := &input{Reader: form.Reader{Values: sent, Temps: "F", Masses: "lb", Zone: time.UTC}, actor: p.Actor}
				defer func() {
					if len(f.Bad) > 0 {
						t.Errorf("%s: %v", kind, f.Bad)
					}
				}()
				return f.corrected(p, kind, old)
			}
			if got := read(); !reflect.DeepEqual(got, old) {
				t.Errorf("%s: unchanged, it became\n%+v\nand was\n%+v", kind, got, old)
			}
			for _, f := range v.Fields {
				if f.Kind != "area" && f.Kind != "text" || strings.Contains(f.Name, "species") || f.Name == "data.results" {
					continue
				}
				was := sent.Get(f.Name)
				sent.Set(f.Name, "another")
				data, err := json.Marshal(read())
				if err != nil || !strings.Contains(string(data), "another") {
					t.Errorf("%s: %s is not read", kind, f.Name)
				}
				sent.Set(f.Name, was)
			}
		}
	}
	if shown < 60 {
		t.Errorf("%d fields: the test sees too little", shown)
	}
}

// A receipt typed wrong is put right from the lot's card: a wrong number stands beside its
// field with all that was typed; then the card says both.
func TestCorrectingAReceipt(t *testing.T) {
	s := serve(t)
	_, page := s.get("/k/quay/lots/" + s.lot.LotID.String())
	link := regexp.MustCompile(`/k/quay/lots/[0-9a-f-]+/entries/[0-9a-f-]+/correct`).FindString(page)
	_, page = s.get(link)
	if !strings.Contains(page, `value="Atlantic cod"`) {
		t.Fatal("the form does not say what the entry says")
	}
	sent := url.Values{"event_id_new": {kitchen.NewID().String()}, "seen": {"1"}, "sent": {"1"}, "data.species": {"Atlantic cod"},
		"data.form": {"whole"}, "data.count": {"1"}, "data.weight_kg": {"heavy"}, "data.core_celsius": {"0.5"},
		"data.ice": {"well_iced"}, "data.supplier_lot": {"kept as typed"}, "data.place_id": {"1"}, "reason": {""}}
	for _, name := range []string{"data.claim.at", "data.claim.means"} {
		if m := regexp.MustCompile(`name="` + name + `"[^>]* value="([^"]*)"`).FindStringSubmatch(page); m != nil {
			sent.Set(name, m[1])
		}
	}
	sent.Set("data.claim.means", "caught")
	status, page := s.submit(link, sent)
	if status != http.StatusUnprocessableEntity || !strings.Contains(page, `value="heavy"`) ||
		!strings.Contains(page, `value="kept as typed"`) {
		t.Fatalf("a weight that is none: status %d", status)
	}
	sent.Set("data.weight_kg", "2.4")
	if status, page = s.submit(link, sent); status != http.StatusUnprocessableEntity || !strings.Contains(page, "give a reason") {
		t.Fatalf("without a reason: status %d", status)
	}
	sent.Set("reason", "the scale was not tared")
	if status, page = s.submit(link, sent); status != http.StatusOK {
		t.Fatalf("corrected: status %d", status)
	}
	if !regexp.MustCompile(`(?s)Entry corrected</b>.*?event 1, received: the scale was not tared`).MatchString(page) ||
		!strings.Contains(page, "<s>1 × Whole, ungutted, 2.00 kg") || !strings.Contains(page, "2.40 kg") {
		t.Error("the card does not say what it said, what it says, and why")
	}
	row, err := s.k.Row(s.ctx, s.lot.LotID)
	s.must(err)
	if row.WeightKg != 2.4 {
		t.Errorf("%v kg on the board", row.WeightKg)
	}
	card, err := s.k.Card(s.ctx, s.lot.LotID)
	s.must(err)
	if r := card.State.Received; r.SupplierLot != "kept as typed" || r.LabelDate.At == nil {
		t.Errorf("received %+v", r)
	}
}
