package interchange

import (
	"encoding/csv"
	"fmt"
	"io"
	"iter"
	"slices"
	"strconv"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// Table is rows of cells below named columns, made as they are read: it may be as long as it likes.
type Table struct {
	ID      string // as it stands in an address
	Title   string
	Columns []Column
	Rows    iter.Seq2[[]any, error] // of text, numbers, times, days, yes or no, and nil for nothing; as many as there are columns
}

// Column is a column of a table.
type Column struct {
	Name       string  // unit and all
	Wide       float64 // in characters; 0 for the usual
	NotOnPaper bool    // it stands in sheets alone
}

// Day is a cell with a day, without an hour; it is of no zone.
type Day time.Time

// WriteCSV writes a table as RFC 4180 has it, in UTF-8. Times are written as RFC 3339 has them. No cell of text is taken for a formula:
// what
// begins like one gets an apostrophe before it.
func WriteCSV(w io.Writer, t Table, zone *time.Location) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	record := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		record[i] = c.Name
	}
	if err := out.Write(record); err != nil {
		return fmt.Errorf("writing %s: %w", t.ID, err)
	}
	for row, err := range t.Rows {
		if err != nil {
			return err
		}
		for i, cell := range row {
			record[i] = cellText(cell, zone)
		}
		if err := out.Write(record); err != nil {
			return fmt.Errorf("writing %s: %w", t.ID, err)
		}
	}
	out.Flush()
	return out.Error()
}

// cellText is a cell as text.
func cellText(cell any, zone *time.Location) string {
	switch v := cell.(type) {
	case nil:
		return ""
	case string:
		return plainCell(v)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case int:
		return strconv.Itoa(v)
	case bool:
		return map[bool]string{true: "yes", false: "no"}[v]
	case time.Time:
		return v.In(zone).Format(time.RFC3339)
	case Day:
		return time.Time(v).Format(time.DateOnly)
	}
	panic(fmt.Sprintf("a cell is a %T", cell))
}

// The most characters of a cell and of the name of a sheet, as workbooks bound them.
const (
	mostCell  = 32767
	mostSheet = 31
)

// Progress is how far the writing of a file has come.
type Progress struct {
	Done, Of int    // tables
	Now      string // the one that is being written
}

// Watched are tables that tell when each of them is begun.
func Watched(tables []Table, progress func(Progress)) []Table {
	watched := slices.Clone(tables)
	for i, t := range tables {
		watched[i].Rows = func(yield func([]any, error) bool) {
			progress(Progress{i, len(tables), t.Title})
			t.Rows(yield)
		}
	}
	return watched
}

// WriteWorkbook writes tables as a workbook, a sheet each: real dates and numbers, the heading frozen, with filters. A long one is kept
// on disk
// meanwhile, not in memory.
func WriteWorkbook(w io.Writer, tables []Table, zone *time.Location) error {
	book := excelize.NewFile()
	defer book.Close()
	heading, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}, Border: []excelize.Border{{Type: "bottom",
		Color: "2F6E73", Style: 2}}})
	if err != nil {
		return fmt.Errorf("the workbook: %w", err)
	}
	styles := sheetStyles{heading: heading}
	for format, style := range map[string]*int{"yyyy-mm-dd hh:mm": &styles.clock, "yyyy-mm-dd": &styles.day} {
		if *style, err = book.NewStyle(&excelize.Style{CustomNumFmt: &format}); err != nil {
			return fmt.Errorf("the workbook: %w", err)
		}
	}
	for i, t := range tables {
		name := clipped(t.Title, mostSheet)
		if i == 0 {
			err = book.SetSheetName("Sheet1", name)
		} else {
			_, err = book.NewSheet(name)
		}
		if err == nil {
			err = writeSheet(book, name, t, zone, styles)
		}
		if err != nil {
			return fmt.Errorf("the sheet %s: %w", name, err)
		}
	}
	if err := book.Write(w); err != nil {
		return fmt.Errorf("writing the workbook: %w", err)
	}
	return nil
}

// usualWidth is that of a column, in characters.
const usualWidth = 14.0

// sheetStyles are the looks of the cells of a workbook, by their numbers in it.
type sheetStyles struct{ heading, clock, day int }

func writeSheet(book *excelize.File, name string, t Table, zone *time.Location, styles sheetStyles) error {
	out, err := book.NewStreamWriter(name)
	if err != nil {
		return err
	}
	first := make([]any, len(t.Columns))
	for i, c := range t.Columns {
		first[i] = excelize.Cell{StyleID: styles.heading, Value: c.Name}
		wide := c.Wide
		if wide == 0 {
			wide = usualWidth
		}
		if err := out.SetColWidth(i+1, i+1, wide); err != nil {
			return err
		}
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	if err := out.SetRow("A1", first); err != nil {
		return err
	}
	n := 1
	for row, err := range t.Rows {
		if err != nil {
			return err
		}
		n++
		cells := make([]any, len(row))
		for i, cell := range row {
			switch v := cell.(type) {
			case time.Time: // a workbook knows no zones: it is the clock on the wall
				at := v.In(zone)
				cells[i] = excelize.Cell{StyleID: styles.clock, Value: time.Date(at.Year(), at.Month(), at.Day(), at.Hour(), at.Minute(), at.Second(),
					0, time.UTC)}
			case Day:
				year, month, day := time.Time(v).Date()
				cells[i] = excelize.Cell{StyleID: styles.day, Value: time.Date(year, month, day, 0, 0, 0, 0, time.UTC)}
			case string:
				cells[i] = clipped(v, mostCell)
			case bool:
				cells[i] = cellText(v, zone)
			default:
				cells[i] = v
			}
		}
		at, err := excelize.CoordinatesToCellName(1, n)
		if err != nil {
			return err
		}
		if err := out.SetRow(at, cells); err != nil {
			return err
		}
	}
	if err := out.Flush(); err != nil {
		return err
	}
	last, err := excelize.CoordinatesToCellName(len(t.Columns), n)
	if err != nil {
		return err
	}
	return book.AutoFilter(name, "A1:"+last, nil)
}

// clipped is a text of at most so many characters.
func clipped(text string, most int) string {
	for utf8.RuneCountInString(text) > most {
		_, size := utf8.DecodeLastRuneInString(text)
		text = text[:len(text)-size]
	}
	return text
}
