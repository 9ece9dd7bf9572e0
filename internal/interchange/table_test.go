package interchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"iter"
	"math"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

// hostile are cells of text that a sheet might take for something else.
var hostile = []string{"=1+1", "+49 30", "-3", "@SUM(A1)", "\t=2", "a \"quoted\" word", "two\nlines", "semi;colon, comma", "שלום", "\u202ecba", "'=1", "", "é ✓ 魚"}

func tableOf(rows ...[]any) Table {
	return Table{ID: "x", Title: "A title that is longer than a sheet's name may be", Columns: []Column{{Name: "Text"}, {Name: "Number, kg"},
		{Name: "When", Wide: 18}, {Name: "So"}},
		Rows: iter.Seq2[[]any, error](func(yield func([]any, error) bool) {
			for _, row := range rows {
				if !yield(row, nil) {
					return
				}
			}
		})}
}

var oslo, _ = time.LoadLocation("Europe/Oslo")

func hostileTable() (Table, time.Time) {
	at := time.Date(2026, 3, 29, 0, 59, 0, 0, time.UTC) // a minute before the clocks go forward
	var rows [][]any
	for i, text := range hostile {
		rows = append(rows, []any{text, float64(i) + 0.125, at.Add(time.Duration(i) * time.Minute), i%2 == 0})
	}
	return tableOf(append(rows, []any{nil, nil, nil, nil})...), at
}

// A CSV comes back cell by cell; what would be a formula has an apostrophe before it, and nothing else has.
func TestCSVRoundTrip(t *testing.T) {
	table, at := hostileTable()
	var out bytes.Buffer
	if err := WriteCSV(&out, table, oslo); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&out).ReadAll()
	if err != nil || len(rows) != len(hostile)+2 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for i, text := range hostile {
		got := rows[i+1]
		want := text
		if text != "" && strings.ContainsAny(text[:1], "=+-@\t\r") {
			want = "'" + text
		}
		if got[0] != want || got[1] != []string{"0.125", "1.125"}[i%2] && i < 2 {
			t.Errorf("%q came back as %q", text, got)
		}
		when, err := time.Parse(time.RFC3339, got[2])
		if err != nil || !when.Equal(at.Add(time.Duration(i)*time.Minute)) {
			t.Errorf("row %d says %q", i, got[2])
		}
	}
}

// A workbook is read back by the library's reader: text as text, numbers as numbers, dates as dates on the wall's clock, with filters and a
// heading that stays.
func TestWorkbookRoundTrip(t *testing.T) {
	table, at := hostileTable()
	other := table
	other.Title = "Other"
	var out bytes.Buffer
	if err := WriteWorkbook(&out, []Table{table, other}, oslo); err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	names := book.GetSheetList()
	if len(names) != 2 || names[0] != "A title that is longer than a s" || names[1] != "Other" {
		t.Fatalf("sheets: %q", names)
	}
	rows, err := book.GetRows(names[0], excelize.Options{RawCellValue: true})
	if err != nil || len(rows) < len(hostile)+1 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for i, text := range hostile {
		cell, err := excelize.CoordinatesToCellName(1, i+2)
		if err != nil {
			t.Fatal(err)
		}
		if formula, err := book.GetCellFormula(names[0], cell); err != nil || formula != "" {
			t.Errorf("%q is the formula %q", text, formula)
		}
		if rows[i+1][0] != text {
			t.Errorf("%q came back as %q", text, rows[i+1][0])
		}
		serial, err := excelize.ExcelDateToTime(number(t, rows[i+1][2]), false)
		wall := at.Add(time.Duration(i) * time.Minute).In(oslo)
		if err != nil || serial.Format("2006-01-02 15:04") != wall.Format("2006-01-02 15:04") {
			t.Errorf("row %d says %v, the wall's clock %v", i, serial, wall)
		}
		if kind, err := book.GetCellType(names[0], strings.Replace(cell, "A", "B", 1)); err != nil || kind != excelize.CellTypeNumber &&
			kind != excelize.CellTypeUnset {
			t.Errorf("a number is of kind %v", kind)
		}
	}
	panes, err := book.GetPanes(names[0])
	if err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("the heading does not stay: %+v", panes)
	}
}

func number(t *testing.T, text string) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) {
		t.Fatalf("%q is no number", text)
	}
	return v
}

// What fails while a table is read fails the whole: half a record is none.
func TestABrokenTableFails(t *testing.T) {
	broken := errors.New("the database is gone")
	table := tableOf()
	table.Rows = func(yield func([]any, error) bool) { yield(nil, broken) }
	var out bytes.Buffer
	if err := WriteCSV(&out, table, oslo); !errors.Is(err, broken) {
		t.Error(err)
	}
	if err := WriteWorkbook(&out, []Table{table}, oslo); !errors.Is(err, broken) {
		t.Error(err)
	}
}
