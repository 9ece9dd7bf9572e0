package demo

import (
	"encoding/csv"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/haccp"
	"leancatch/internal/core/lot"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// foreign runs a program of somebody else.
func foreign(t *testing.T, name string, args ...string) string {
	t.Helper()
	path, err := exec.LookPath(name)
	if err != nil {
		t.Fatalf("%s is missing: make test installs it", name)
	}
	out, err := exec.CommandContext(t.Context(), path, args...).CombinedOutput()
	if err != nil {
		t.Fatalf("%s: %v\n%s", name, err, out)
	}
	return string(out)
}

// The pack is a PDF without a fault, each part stands on the page that its contents name, and what it says is what the lots and places say.
func TestThePackReadsAsItsContentsSay(t *testing.T) {
	p := newPass(t)
	file := filepath.Join(t.TempDir(), "pack.pdf")
	f, err := os.Create(file)
	p.must(err)
	var told []string
	p.must(interchange.WritePack(p.harbour, f, p.Kitchen, p.month(), func(x interchange.Progress) {
		told = append(told, fmt.Sprint(x.Done,
			" ", x.Of))
	}))
	p.must(f.Close())
	foreign(t, "qpdf", "--check", file)
	pages := strings.Split(strings.TrimSuffix(foreign(t, "pdftotext", "-layout", file, "-"), "\f"), "\f")
	parts := 0
	for _, line := range regexp.MustCompile(`(?m)^(\w.*\S) {3,}(\d+)$`).FindAllStringSubmatch(pages[0], -1) {
		n, err := strconv.Atoi(line[2])
		p.must(err)
		if n > len(pages) || !strings.HasPrefix(pages[n-1], line[1]+"\n") {
			t.Errorf("%s is not on page %d", line[1], n)
		}
		parts++
	}
	if parts < 17 || parts != len(told) || told[0] != fmt.Sprint("0 ", parts) {
		t.Errorf("%d parts, told of %v", parts, told)
	}
	whole := strings.Join(pages, "\n")
	for i, page := range pages {
		if !strings.Contains(page, fmt.Sprintf("page %d of %d", i+1, len(pages))) {
			t.Errorf("page %d does not say so", i+1)
		}
	}
	heads, err := p.ChainHeads(p.harbour, p.month())
	p.must(err)
	for _, want := range []string{fmt.Sprintf("%x", []byte(heads[0].Hash))[:40], "Rules House strict", "two fish of each box", "Ciguatera",
		"KEEL-509"} {
		if !strings.Contains(whole, want) {
			t.Errorf("it does not say %q", want)
		}
	}
}

// A deviation is read by a second person: who acted on it may not, nor anybody while nothing was done; the plan's own versions follow
// each other.
func TestASecondPersonReadsDeviations(t *testing.T) {
	p := newPass(t)
	bertil := p.as("harbour", "Bertil")
	deviation := func(what string) kitchen.Deviation {
		list, err := p.Deviations(p.harbour, p.month())
		p.must(err)
		for _, d := range list {
			if strings.Contains(d.What, what) {
				return d
			}
		}
		t.Fatalf("no deviation %q", what)
		return kitchen.Deviation{}
	}
	night := deviation("Too warm")
	if night.Line != haccp.Chilled || *night.LimitC != 2 || len(night.Done) > 0 {
		t.Errorf("the warm night: %+v", night)
	}
	if err := p.ReadDeviations(bertil, []uuid.UUID{night.ID}, ""); err == nil || !strings.Contains(err.Error(), "nothing was done") {
		t.Errorf("read before anything was done: %v", err)
	}
	p.must(p.ActOnAlarm(bertil, kitchen.NewAction{ID: kitchen.NewID(), AlarmID: night.ID, Action: "Fish moved"}))
	if err := p.ReadDeviations(bertil, []uuid.UUID{night.ID}, ""); err == nil || !strings.Contains(err.Error(), "another reads it") {
		t.Errorf("read by who acted: %v", err)
	}
	p.must(p.ReadDeviations(p.harbour, []uuid.UUID{night.ID}, "the compressor was looked at"))
	if got := deviation("Too warm"); got.Read == nil || got.Read.Person != "Ansa" || got.Read.Note != "the compressor was looked at" {
		t.Errorf("after it was read: %+v", got.Read)
	}

	touched, err := p.Touched(p.harbour, kitchen.RecallBy{SupplierLot: "126-1"})
	p.must(err)
	p.must(p.Append(p.harbour, kitchen.Write{EventID: kitchen.NewID(), LotID: touched.Lots[0].LotID, HappenedAt: p.now,
		Payload: lot.Held{Reason: "smells of diesel"}}))
	p.must(p.Append(bertil, kitchen.Write{EventID: kitchen.NewID(), LotID: touched.Lots[0].LotID, HappenedAt: p.now,
		Payload: lot.Released{Reason: "it was the van"}}))
	if got := deviation("diesel"); len(got.Done) != 2 || got.Done[1].What != "Released: it was the van" || got.ReadBy("Ansa") ||
		got.ReadBy("Bertil") || !got.ReadBy("Cato") {
		t.Errorf("a hold that was let go: %+v", got)
	}

	plan, err := p.SafetyPlan(p.harbour)
	p.must(err)
	if err := p.SignSafetyPlan(bertil, kitchen.NewSafetyPlan{After: plan.Version, Note: "mine", Lines: plan.Lines}); err == nil {
		t.Error("a buyer signs the plan")
	}
	p.must(p.SignSafetyPlan(p.harbour, kitchen.NewSafetyPlan{After: plan.Version, Note: "nothing new", Lines: plan.Lines}))
	if err := p.SignSafetyPlan(p.harbour, kitchen.NewSafetyPlan{After: plan.Version, Note: "late", Lines: plan.Lines}); err == nil {
		t.Error("two versions follow the same one")
	}
	if list, err := p.SafetyPlans(p.harbour); err != nil || len(list) != plan.Version+1 {
		t.Errorf("%d versions, %v", len(list), err)
	}
}

// A day of a place says what its probe measured: the same as the readings say one by one.
func TestPlaceDaysAgreeWithReadings(t *testing.T) {
	p := newPass(t)
	span := p.month()
	zone := kitchen.ActorFrom(p.harbour).Zone()
	span.From = p.now.In(zone).AddDate(0, 0, -3).Truncate(24 * 3600e9)
	n := 0
	for d, err := range p.PlaceDays(p.harbour, coldchain.Span{From: span.From, To: span.From.AddDate(0, 0, 2)}) {
		p.must(err)
		if d.Place.Name != "Walk-in" {
			continue
		}
		n++
		trace, err := p.PlaceTrace(p.harbour, d.Place.ID, coldchain.Span{From: d.Day, To: d.Day.AddDate(0, 0, 1)})
		p.must(err)
		lo, hi := 100.0, -100.0
		for _, line := range trace.Lines {
			for _, x := range line.Points {
				lo, hi = min(lo, x.Min), max(hi, x.Max)
			}
		}
		if d.MinC != lo || d.MaxC != hi || d.LoggedH+d.UnknownH < 23.99 || d.AboveH <= 0 || d.AboveH >= d.LoggedH {
			t.Errorf("%s: %+v, the readings go from %v to %v", d.Day, d, lo, hi)
		}
	}
	if n != 2 {
		t.Errorf("%d days of the walk-in", n)
	}
}

// LibreOffice reads each sheet of the workbook as the CSV has it: text, numbers and the clock on the wall. scripts/foreign.sh runs it:
// the program is
// too large to be installed for each run of the tests.
func TestAnotherProgramReadsTheWorkbook(t *testing.T) {
	if os.Getenv("LEANCATCH_FOREIGN") == "" {
		t.Skip("scripts/foreign.sh runs it")
	}
	p := newPass(t)
	tables := interchange.Tables(p.harbour, p.Kitchen, p.month())
	zone := kitchen.ActorFrom(p.harbour).Zone()
	dir := t.TempDir()
	f, err := os.Create(filepath.Join(dir, "book.xlsx"))
	p.must(err)
	p.must(interchange.WriteWorkbook(f, tables, zone))
	p.must(f.Close())
	const everySheet = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,-1"
	foreign(t, "soffice", "--headless", "-env:UserInstallation=file://"+dir+"/profile", "--convert-to", everySheet, "--outdir", dir, f.Name())
	for _, table := range tables {
		data, err := os.ReadFile(filepath.Join(dir, "book-"+table.Title+".csv"))
		p.must(err)
		theirs, err := csv.NewReader(strings.NewReader(string(data))).ReadAll()
		p.must(err)
		var out strings.Builder
		p.must(interchange.WriteCSV(&out, table, zone))
		ours, err := csv.NewReader(strings.NewReader(out.String())).ReadAll()
		p.must(err)
		if len(theirs) != len(ours) {
			t.Errorf("%s: %d rows, the CSV has %d", table.Title, len(theirs), len(ours))
			continue
		}
		for i, row := range ours {
			for j, cell := range row {
				if got := theirs[i][j]; !sameCell(cell, got) {
					t.Errorf("%s, row %d, %s: %q, the CSV has %q", table.Title, i, ours[0][j], got, cell)
				}
			}
		}
	}
}

// sameCell reports whether a cell of the CSV says what another program read in the workbook.
func sameCell(cell, got string) bool {
	if at, err := time.Parse(time.RFC3339, cell); err == nil {
		return got == at.Format(time.DateTime)
	}
	if a, err := strconv.ParseFloat(cell, 64); err == nil {
		b, err := strconv.ParseFloat(got, 64)
		return err == nil && math.Abs(a-b) < 0.01
	}
	return strings.ReplaceAll(strings.TrimPrefix(cell, "'"), "\r\n", "\n") == got
}
