package interchange

import (
	"bytes"
	"image"
	"strings"
	"testing"
	"time"

	"image/jpeg"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// claim is a claim with everything that its paper can show.
func claim() kitchen.Complaint {
	at := time.Date(2026, 3, 2, 7, 30, 0, 0, time.UTC)
	core := 4.1
	var photos [][]byte
	for n := range 3 {
		var photo bytes.Buffer
		jpeg.Encode(&photo, image.NewRGBA(image.Rect(0, 0, 400, 300+n)), nil)
		photos = append(photos, photo.Bytes())
	}
	z := 2.6
	c := kitchen.Complaint{
		ComplaintMade: lot.ComplaintMade{Complaint: lot.Complaint{Number: "COVE-482/1", WeightKg: 9.9,
			Remedy: "credit", Reasons: []string{"core 4.1 °C is above 2.0 °C",
				"the fish reads older than its papers (gap +2.6)"}, Note: "Fjærland’s box – no ice ≤ half"}, At: at},
		Actor: kitchen.Actor{Site: kitchen.Site{Currency: "EUR", Name: "Harbour", TimeZone: "UTC", Profile: "house-strict"},
			Person: kitchen.Person{TempScale: "C", MassScale: "kg"}},
		Person: "Ansa", Hash: "8f00",
		Checked: &lot.CheckMade{Checked: lot.Checked{Left: []lot.Trim{"scales"}, Faults: []string{"warm"},
			ReworkMinutes: 14, WageCents: 2600}},
		Photos: photos,
	}
	c.State = lot.AfterReceipt(species.Builtin(), lot.Received{SpeciesID: "redfish", Form: "whole", Count: 12,
		WeightKg: 9.9, CoreC: &core, Ice: "melted", Code: "COVE-482"}, at.Add(-time.Hour))
	c.State.ID = uuid.New()
	c.DeliveryNote = store.DocketRow{Supplier: "Fulmar Landing", Reference: "F-2126"}
	c.Assessment.Gap = &z
	c.Read = &lot.Inspection{At: at, Inspected: lot.Inspected{Scheme: "demerit20", Fish: make([]freshness.Fish, 5),
		Decision: freshness.Refuse,
		Reading: freshness.Reading{Index: 11.4, IndexMax: 20, Grade: "tired",
			Age: &freshness.Age{Days: 8.9, SD: 1.1}},
		Proposed: freshness.Verdict{Rule: "hard stop", Reasons: []string{"core too warm"}}}}
	return c
}

// text is what stands in an uncompressed PDF.
func text(t *testing.T, c kitchen.Complaint) string {
	t.Helper()
	compress = false
	defer func() { compress = true }()
	data, err := ComplaintPDF(c)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.HasPrefix(data, []byte("%PDF-")) || !bytes.Contains(data, []byte("%%EOF")) {
		t.Fatal("not a PDF")
	}
	return string(data)
}

func TestComplaintPDFSaysWhatItIsAbout(t *testing.T) {
	got := text(t, claim())
	for _, want := range []string{"Complaint COVE-482/1", "Fulmar Landing", "Credit for the weight",
		"9.90 kg of 9.90 kg", "gap +2.6", "Redfish", "F-2126", "4.1 \xb0C", "Melted, in water",
		"11.4 of 20 (0 is best), tired", "8.9 \xb1 2.2 days in ice", "Scales", "Warm box",
		"14 minutes at 26.00 \x80 an hour: 6.07 \x80", "Entry 8f00", "Fj\xe6rland\x92s box \x96 no ice",
		"at most half"} {
		if !strings.Contains(got, strings.NewReplacer("(", `\(`, ")", `\)`).Replace(want)) {
			t.Errorf("%q is not in it", want)
		}
	}
	for _, ours := range []string{"Decided", "rule:", "limit", "Local codes", "House strict", "standard deviations"} {
		if strings.Contains(got, ours) {
			t.Errorf("%q is our own affair, and in it", ours)
		}
	}
	if at := strings.Index; at(got, "F-2126") > at(got, "Credit for the weight") {
		t.Error("the delivery does not come first")
	}
	if n := strings.Count(got, "/Subtype /Image"); n != 3 {
		t.Errorf("%d photos in it, want 3", n)
	}
}

// A claim on a lot of which little is known is a paper too.
func TestComplaintPDFOfLittle(t *testing.T) {
	c := claim()
	c.Read, c.Checked, c.Photos, c.Assessment.Gap, c.State.Received.CoreC = nil, nil, nil, nil, nil
	if got := text(t, c); !strings.Contains(got, "not taken") || strings.Contains(got, "What was seen") {
		t.Error("it says what is not known")
	}
	c.Photos = [][]byte{[]byte("no picture")}
	if _, err := ComplaintPDF(c); err == nil {
		t.Error("a broken photo is not an error")
	}
}

// A long claim runs over pages: every reason and every photo is in it.
func TestComplaintPDFOfManyPages(t *testing.T) {
	c := claim()
	var photo bytes.Buffer
	c.Photos, c.ComplaintMade.Reasons = nil, nil
	for n := range 9 {
		photo.Reset()
		jpeg.Encode(&photo, image.NewRGBA(image.Rect(0, 0, 200+n, 400)), nil) // upright ones
		c.Photos = append(c.Photos, bytes.Clone(photo.Bytes()))
	}
	for n := range 40 {
		c.ComplaintMade.Reasons = append(c.ComplaintMade.Reasons, "reason number "+string(rune('A'+n%26))+
			strings.Repeat(" and more of it", n%5))
	}
	got := text(t, c)
	if n := strings.Count(got, "/Subtype /Image"); n != 9 {
		t.Errorf("%d photos, want 9", n)
	}
	if n := strings.Count(got, "reason number"); n != 40 {
		t.Errorf("%d reasons, want 40", n)
	}
	if pages := strings.Count(got, "/Type /Page\n"); pages < 3 || pages > 6 {
		t.Errorf("%d pages", pages)
	}
}
