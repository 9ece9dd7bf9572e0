package interchange

import (
	"bytes"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

var frozenAt = time.Date(2026, 11, 10, 6, 0, 0, 0, time.UTC)

func hand() kitchen.Actor {
	return kitchen.Actor{Site: kitchen.Site{Name: "Harbour", TimeZone: "UTC", Profile: "house-strict"},
		Person: kitchen.Person{TempScale: "C", MassScale: "kg"}}
}

// certified is the card of a bream that was frozen for eight days.
func certified() kitchen.Card {
	profile, _ := safety.GetProfile("house-strict")
	bream, _ := species.Builtin().Get("sea-bream")
	var line []coldchain.Reading
	for h := 0; h <= 8*24; h++ {
		c := -23.0
		if h == 0 {
			c = 1
		}
		line = append(line, coldchain.Reading{At: frozenAt.Add(time.Duration(h) * time.Hour), Celsius: c})
	}
	card := kitchen.Card{DeliveryNote: store.DocketRow{Supplier: "Skua Day-boat"}}
	card.State = lot.AfterReceipt(species.Builtin(), lot.Received{SpeciesID: bream.ID, Form: "fillet_skin_on",
		Count: 12, WeightKg: 2.4, Code: "COVE-7", SupplierLot: "118-b"}, frozenAt.Add(-5*time.Hour))
	card.State.ID, card.State.FrozenStays = uuid.New(), []lot.FrozenStay{{From: frozenAt}}
	card.State.CoreReadings = []coldchain.Reading{{At: frozenAt.Add(20 * time.Hour), Celsius: -23.2}}
	card.Assessment = assess.Assessment{At: frozenAt.Add(8 * 24 * time.Hour), OwnCurves: [][]coldchain.Reading{line}}
	card.Assessment.Parasites.Parasite = profile.Parasites(safety.ParasiteFacts{Species: bream,
		Core: [][]coldchain.Reading{line}})
	return card
}

// paperOf is what stands in an uncompressed certificate.
func paperOf(t *testing.T, card kitchen.Card) string {
	t.Helper()
	compress = false
	defer func() { compress = true }()
	data, err := CertificatePDF(card, hand(), frozenAt.Add(9*24*time.Hour))
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.HasPrefix(data, []byte("%PDF-")) || !bytes.Contains(data, []byte("%%EOF")) {
		t.Fatal("not a PDF")
	}
	return string(data)
}

func says(t *testing.T, paper string, texts ...string) {
	t.Helper()
	for _, text := range texts {
		if !strings.Contains(paper, strings.NewReplacer("(", `\(`, ")", `\)`).Replace(text)) {
			t.Errorf("%q is not in it", text)
		}
	}
}

// A certificate names the lot, the route with its hours, what it rests on, the
// rule, how long it is kept, and has a line to sign.
func TestCertificateOfARoute(t *testing.T) {
	card := certified()
	if !card.Assessment.Parasites.Met {
		t.Fatal("eight days at -23 do not meet the route")
	}
	paper := paperOf(t, card)
	says(t, paper, "Parasite certificate COVE-7", "Rules House strict", "Local codes go first", "Sea bream",
		"Sparus aurata", "Skua Day-boat", "118-b", "12 x fillet, skin on, 2.40 kg", "7 days at", "one unbroken stretch",
		"the core temperature was measured", "until 90 days after", "consumer advisory", "Core temperature",
		"Signed, and name in capitals", "17 November 2026")
	if strings.Contains(paper, "PREDICTED") || strings.Contains(paper, "Began again") {
		t.Error("a measured, unbroken route says otherwise")
	}
}

// What was only predicted says so with its margin; a clock that was broken says
// when and how warm; thick fish is warned of.
func TestCertificateSaysWhatIsDoubtful(t *testing.T) {
	card := certified()
	c := &card.Assessment.Parasites
	c.Predicted, c.Margin = true, 90*time.Minute
	c.Broken = []safety.Break{{At: frozenAt.Add(5 * time.Hour), Celsius: -14},
		{At: frozenAt.Add(9 * time.Hour), Gap: true}}
	c.Cautions = []string{"thicker than 150 mm: guidance warns"}
	says(t, paperOf(t, card), "PREDICTED", "a margin of 1.5 h", "Began again after", "up to", "no record",
		"thicker than 150 mm")
}

// A letter, or an exemption by name, stands in place of a route; then there is no
// curve to show.
func TestCertificateOfALetter(t *testing.T) {
	card := certified()
	card.State.FrozenStays, card.Assessment.OwnCurves = nil, nil
	card.Assessment.Parasites = assess.ParasiteClearance{Parasite: safety.Parasite{Met: true, Exempt: "letter on file"},
		Declaration: &assess.Declaration{Kind: assess.DeclaredFarmed, Reference: "D-77, signed", IssuedOn: frozenAt,
			ValidTo: frozenAt.AddDate(1, 0, 0)}}
	paper := paperOf(t, card)
	says(t, paper, "Declaration on file", "D-77, signed", "10 November 2026, 10 November 2027")
	if strings.Contains(paper, "Core temperature") {
		t.Error("a letter has no curve")
	}
	card.Assessment.Parasites = assess.ParasiteClearance{Parasite: safety.Parasite{Met: true,
		Exempt: "Bluefin tuna needs no freezing by name"}}
	says(t, paperOf(t, card), "No freezing needed", "Bluefin tuna needs no freezing by name")
}

// A calendar has the steps that are left, each once, with an alarm, folded and
// escaped as RFC 5545 asks.
func TestThawCalendarHasWhatIsLeft(t *testing.T) {
	bream, _ := species.Builtin().Get("sea-bream")
	done := frozenAt
	plan := kitchen.Thaw{ThawsRow: store.ThawsRow{ID: uuid.New(), ServeAt: frozenAt.Add(13 * time.Hour),
		Form: "fillet_skin_on"}, Species: bream}
	plan.Lines = []kitchen.ThawLine{
		{ThawLine: store.ThawLine{N: 1, Pieces: 12},
			Steps: []kitchen.ThawStep{{Seq: 1, Doing: "Pull", At: frozenAt, DoneAt: &done},
				{Seq: 2, Doing: "Change the water; again, and so on", Why: strings.Repeat("every 30 minutes, ", 8),
					At: frozenAt.Add(time.Hour)},
				{Seq: 3, Doing: "Measure the core", At: frozenAt.Add(2 * time.Hour)}}},
		{ThawLine: store.ThawLine{N: 2, Pieces: 3, EndedAt: &done},
			Steps: []kitchen.ThawStep{{Seq: 1, Doing: "Never mind", At: frozenAt}}},
	}
	text := ThawCalendar(plan, hand(), frozenAt)
	if n := strings.Count(text, "BEGIN:VEVENT"); n != 2 || strings.Count(text, "BEGIN:VALARM") != 2 {
		t.Errorf("%d events, want the two that are left", n)
	}
	for _, want := range []string{"BEGIN:VCALENDAR\r\n", "VERSION:2.0", "PRODID:", "METHOD:PUBLISH",
		"DTSTART:20261110T070000Z", "DTEND:20261110T071000Z", `Change the water\; again\, and so on`,
		"LOCATION:Harbour", "END:VCALENDAR"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in it", want)
		}
	}
	for _, line := range strings.Split(text, "\r\n") {
		if len(line) > 75 {
			t.Errorf("a line of %d octets: RFC 5545, 3.1 folds at 75", len(line))
		}
	}
	uids := regexp.MustCompile(`UID:(\S+)`).FindAllString(text, -1)
	if len(uids) != 2 || uids[0] == uids[1] {
		t.Errorf("uids %v", uids)
	}
	if again := ThawCalendar(plan, hand(), frozenAt); again != text {
		t.Error("the same plan gives another calendar")
	}
}
