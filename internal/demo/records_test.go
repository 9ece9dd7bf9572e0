package demo

import (
	"bytes"
	"context"
	"encoding/csv"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/xuri/excelize/v2"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// month is all of the demo.
func (p *pass) month() coldchain.Span {
	return coldchain.Span{From: p.now.AddDate(0, 0, -30), To: p.now.Add(time.Hour)}
}

// unlike is a pattern that Go's own have no words for: what does not begin like something else.
type unlike struct {
	*regexp.Regexp
	not bool
}

func (u unlike) MatchString(s string) bool { return u.Regexp.MatchString(s) != u.not }

// Each lot's events meet the published schema of EPCIS 2.0, and name the lots that it came of and became.
func TestEPCISMeetsItsSchema(t *testing.T) {
	p := newPass(t)
	c := jsonschema.NewCompiler()
	c.UseRegexpEngine(func(pattern string) (jsonschema.Regexp, error) {
		inner, not := strings.CutPrefix(pattern, "^(?!")
		if not {
			pattern = "^" + strings.TrimSuffix(inner, ")")
		}
		re, err := regexp.Compile(pattern)
		return unlike{re, not}, err
	})
	schema, err := c.Compile("../interchange/testdata/epcis-2.0.schema.json")
	p.must(err)
	seen := map[string]int{}
	for x, err := range p.RecordLots(p.harbour, p.month()) {
		p.must(err)
		data, err := interchange.EPCIS(x, kitchen.ActorFrom(p.harbour), p.now)
		p.must(err)
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
		p.must(err)
		if err := schema.Validate(doc); err != nil {
			t.Fatalf("%s: %v\n%s", x.Received.Code, err, data)
		}
		for _, kind := range []string{"ObjectEvent", "TransformationEvent"} {
			seen[kind] += bytes.Count(data, []byte(`"`+kind+`"`))
		}
		for _, made := range x.Cuts {
			for _, part := range made.Parts {
				if part.Code != "" && !bytes.Contains(data, []byte(part.LotID.String())) {
					t.Errorf("%s became %s, and says nothing of it", x.Received.Code, part.Code)
				}
			}
		}
	}
	if seen["ObjectEvent"] < 100 || seen["TransformationEvent"] < 20 {
		t.Errorf("only %v", seen)
	}
	wrong, err := jsonschema.UnmarshalJSON(strings.NewReader(`{"@context":[],"type":"EPCISDocument","schemaVersion":"2.0","creationDate":"2026-01-30T10:00:00Z","epcisBody":{"eventList":[{"type":"ObjectEvent"}]}}`))
	p.must(err)
	if schema.Validate(wrong) == nil {
		t.Error("the schema lets an event through that says nothing")
	}
}

// Every table says the same as CSV and as a workbook, and what it counts is what the lots say.
func TestTablesOfTheRecords(t *testing.T) {
	p := newPass(t)
	tables := interchange.Tables(p.harbour, p.Kitchen, p.month())
	zone := kitchen.ActorFrom(p.harbour).Zone()
	var workbook bytes.Buffer
	p.must(interchange.WriteWorkbook(&workbook, tables, zone))
	book, err := excelize.OpenReader(&workbook)
	p.must(err)
	defer book.Close()
	rows := map[string][][]string{}
	for n, table := range tables {
		var out bytes.Buffer
		p.must(interchange.WriteCSV(&out, table, zone))
		list, err := csv.NewReader(&out).ReadAll()
		p.must(err)
		sheet, err := book.GetRows(book.GetSheetList()[n])
		p.must(err)
		if len(sheet) != len(list) || len(list) < 2 && table.ID != "corrections" {
			t.Errorf("%s: %d rows as CSV, %d in the workbook", table.ID, len(list), len(sheet))
			continue
		}
		for i, row := range list {
			for j, cell := range row {
				if table.Columns[j].Name == "Lot" && (j >= len(sheet[i]) || sheet[i][j] != cell) {
					t.Fatalf("%s, row %d: %q as CSV, %q in the workbook", table.ID, i, row, sheet[i])
				}
			}
		}
		rows[table.ID] = list[1:]
	}
	received, kg, exits := 0, 0.0, 0
	for x, err := range p.RecordLots(p.harbour, p.month()) {
		p.must(err)
		exits += len(x.Exits)
		if x.ParentCode == "" {
			received++
		}
		for _, e := range x.Exits {
			kg += e.Kg
		}
	}
	if len(rows["deliveries"]) != received || len(rows["exits"]) != exits || exits == 0 || kg == 0 {
		t.Errorf("%d deliveries of %d, %d exits of %d", len(rows["deliveries"]), received, len(rows["exits"]), exits)
	}
	events := map[string]int{}
	for _, row := range rows["traceability"] {
		events[row[0]]++
		if row[0] == "transformation" && row[8] == "" || row[0] == "receiving" && row[9] == "" || row[0] == "shipping" && row[11] != "Mill" ||
			row[2] == "" {
			t.Errorf("a row of the traceability sheet lacks something: %q", row)
		}
	}
	if events["receiving"] != received || events["transformation"] < 20 || events["shipping"] != 2 {
		t.Errorf("traceability: %v", events)
	}
	if !slices.ContainsFunc(rows["deviations"], func(row []string) bool { return row[2] == "Walk-in" && row[4] == "7.8" && row[5] == "2" }) {
		t.Errorf("the warm night of the walk-in is missing: %q", rows["deviations"])
	}
}

// A core that was corrected is in the sheet of corrections with what it said, what it says, who did it and why; the sheet of cores says
// what
// stands.
func TestACorrectionIsInTheSheets(t *testing.T) {
	p := newPass(t)
	touched, err := p.Touched(p.harbour, kitchen.RecallBy{SupplierLot: "126-1"})
	p.must(err)
	id, event := touched.Lots[0].LotID, kitchen.NewID()
	write := func(w kitchen.Write) {
		w.LotID, w.HappenedAt = id, p.now.Add(-10*time.Minute)
		p.must(p.Append(p.harbour, w))
	}
	write(kitchen.Write{EventID: event, Payload: lot.Temperature{Celsius: 1.4}})
	write(kitchen.Write{EventID: kitchen.NewID(), Payload: lot.Corrected{EventID: event, Data: []byte(`{"celsius":0.4}`), Reason: "read the wrong line"}})
	find := func(name string) (found [][]any) {
		for _, table := range interchange.Tables(context.WithoutCancel(p.harbour), p.Kitchen, p.month()) {
			if table.ID != name {
				continue
			}
			for row, err := range table.Rows {
				p.must(err)
				if row[1] == touched.Lots[0].Code {
					found = append(found, row)
				}
			}
		}
		return found
	}
	corrections := find("corrections")
	if len(corrections) != 1 || corrections[0][6] != "1.4" || corrections[0][7] != "0.4" || corrections[0][8] != "read the wrong line" ||
		corrections[0][9] != "Ansa" {
		t.Errorf("corrections: %v", corrections)
	}
	if cores := find("cores"); len(cores) == 0 || cores[len(cores)-1][3] != 0.4 {
		t.Errorf("cores: %v", cores)
	}
}
