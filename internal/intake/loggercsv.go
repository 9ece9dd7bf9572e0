package intake

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"iter"
	"regexp"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
)

// Layout says how to read a logger's file. The zero values of Unit and DateOrder
// mean that the file does not say: ask.
type Layout struct {
	Separator   rune
	HeaderLines int            // lines before the first reading
	Columns     []string       // headings, or "Column 1" …
	DateColumn  int            // index of the column with the date, or date and time
	TimeColumn  int            // index of the column with the time of day alone, −1 for none
	TempColumn  int            // index of the column with the temperature; −1 where several could be it
	TempChoices []int          // columns that could be the temperature
	Unit        unit.TempScale // "" where unclear
	DateOrder   DateOrder      // "" where unclear
	Zone        *time.Location // for times that name none
	ZoneFound   bool           // the file itself names it
	Language    string         // of the headings; "" where they tell none
	Serial      string         // of the logger; "" where the file does not say
	Sample      [][]string     // the first readings as they stand
}

// DateOrder is the order of day, month and year in a date of digits.
type DateOrder string

// The orders.
const (
	YearFirst  DateOrder = "ymd"
	DayFirst   DateOrder = "dmy"
	MonthFirst DateOrder = "mdy"
)

// ErrNotTable says that no table of times and temperatures was found.
var ErrNotTable = errors.New("this is not a table of readings: no lines with a date and a temperature were found")

// sniffSize is how much of a file Sniff looks at.
const sniffSize = 64 << 10

// Sniff finds out how the file is laid out from its beginning: the separator,
// where the readings begin, which columns hold the time and the temperature,
// the unit and the order of the date. Times that name no zone are in zone. It
// returns ErrNotTable.
func Sniff(r io.Reader, zone *time.Location) (Layout, error) {
	head, err := io.ReadAll(io.LimitReader(text(r), sniffSize))
	if err != nil {
		return Layout{}, err
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return Layout{}, ErrNotTable
	}
	if len(head) == sniffSize { // drop the line that was cut
		head = head[:bytes.LastIndexByte(head, '\n')+1]
	}
	for _, sep := range []rune{';', '\t', ',', '|'} {
		rows := readRows(head, sep)
		l := Layout{Separator: sep, TimeColumn: -1, Zone: zone}
		if l.findColumns(rows) {
			l.findUnit(rows)
			l.findDateOrder(rows)
			l.findOrigin(rows)
			return l, nil
		}
	}
	return Layout{}, ErrNotTable
}

func readRows(head []byte, sep rune) [][]string {
	r := newReader(bytes.NewReader(head), sep)
	var rows [][]string
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows
		}
		if err == nil {
			rows = append(rows, slices.Clone(row))
		}
	}
}

func newReader(r io.Reader, sep rune) *csv.Reader {
	c := csv.NewReader(r)
	c.Comma, c.FieldsPerRecord, c.LazyQuotes, c.TrimLeadingSpace, c.ReuseRecord = sep, -1, true, true, true
	return c
}

// text strips a byte order mark and turns UTF-16 into UTF-8.
func text(r io.Reader) io.Reader {
	return transform.NewReader(r, unicode.BOMOverride(transform.Nop))
}

// findColumns looks for the first line from which on most lines have a date in
// one column and a number in another.
func (l *Layout) findColumns(rows [][]string) bool {
	for start, row := range rows {
		date := slices.IndexFunc(row, looksLikeDate)
		if date < 0 {
			continue
		}
		body := rows[start:]
		l.DateColumn, l.HeaderLines, l.TempChoices = date, start, nil
		if !hasTime(row[date]) {
			l.TimeColumn = slices.IndexFunc(row, looksLikeTime)
		}
		for col := range row {
			if col != date && col != l.TimeColumn && mostly(body, func(r []string) bool {
				return col < len(r) && looksLikeTemperature(r[col])
			}) {
				l.TempChoices = append(l.TempChoices, col)
			}
		}
		if len(l.TempChoices) == 0 || !mostly(body, func(r []string) bool {
			return date < len(r) && looksLikeDate(r[date])
		}) {
			continue
		}
		l.Sample = body[:min(5, len(body))]
		l.nameColumns(rows, len(row))
		l.TempColumn = only(l.TempChoices)
		named := slices.DeleteFunc(slices.Clone(l.TempChoices), func(col int) bool {
			return !containsAny(strings.ToLower(l.Columns[col]), "temp", "°", "cels", "fahr")
		})
		if len(named) > 0 {
			l.TempColumn = only(named)
		}
		return true
	}
	return false
}

// only is the one column of a list, −1 where there are several.
func only(columns []int) int {
	if len(columns) == 1 {
		return columns[0]
	}
	return -1
}

// nameColumns takes the headings from the line above the first reading.
func (l *Layout) nameColumns(rows [][]string, n int) {
	l.Columns = make([]string, n)
	for i := range l.Columns {
		l.Columns[i] = fmt.Sprintf("Column %d", i+1)
		if l.HeaderLines > 0 && i < len(rows[l.HeaderLines-1]) && strings.TrimSpace(rows[l.HeaderLines-1][i]) != "" {
			l.Columns[i] = strings.TrimSpace(rows[l.HeaderLines-1][i])
		}
	}
}

func mostly(rows [][]string, is func([]string) bool) bool {
	n := 0
	for _, r := range rows {
		if is(r) {
			n++
		}
	}
	return n*10 >= len(rows)*6
}

// Units as a heading or a value names them; temp_fridge names none.
var (
	namesC = regexp.MustCompile(`[°º] ?c|[([_]c([^a-z]|$)|celsius|deg ?c`)
	namesF = regexp.MustCompile(`[°º] ?f|[([_]f([^a-z]|$)|fahrenheit|deg ?f`)
)

// findUnit reads the unit from the values, the heading or the lines above.
func (l *Layout) findUnit(rows [][]string) {
	var texts []string
	if l.TempColumn >= 0 {
		texts = []string{l.Sample[0][l.TempColumn], l.Columns[l.TempColumn]}
	}
	for _, row := range rows[:l.HeaderLines] {
		texts = append(texts, strings.Join(row, " "))
	}
	for _, s := range texts {
		s = strings.ToLower(s)
		isC, isF := namesC.MatchString(s), namesF.MatchString(s)
		if isC != isF {
			l.Unit = unit.CelsiusScale
			if isF {
				l.Unit = unit.FahrenheitScale
			}
			return
		}
	}
}

func containsAny(s string, parts ...string) bool {
	return slices.ContainsFunc(parts, func(p string) bool { return strings.Contains(s, p) })
}

// findDateOrder decides by the values: a first number above 12 is a day, a
// second one too; a first one of four digits is a year.
func (l *Layout) findDateOrder(rows [][]string) {
	for _, row := range rows[l.HeaderLines:] {
		if l.DateColumn >= len(row) {
			continue
		}
		a, b, _, ok := dateNumbers(row[l.DateColumn])
		switch {
		case !ok && looksLikeDate(row[l.DateColumn]), ok && a > 31:
			l.DateOrder = YearFirst // a point in time by number is in no doubt either
		case ok && a > 12:
			l.DateOrder = DayFirst
		case ok && b > 12:
			l.DateOrder = MonthFirst
		default:
			continue
		}
		return
	}
}

// Unclear names what must be asked before the file can be read: "unit",
// "date_order", "temp_column".
func (l Layout) Unclear() []string {
	var open []string
	if l.Unit == "" {
		open = append(open, "unit")
	}
	if l.DateOrder == "" {
		open = append(open, "date_order")
	}
	if l.TempColumn < 0 {
		open = append(open, "temp_column")
	}
	return open
}

// BadRow is a line that could not be read.
type BadRow struct {
	Line int
	Text string
	Why  string
}

// Row is a reading, or a line that could not be read.
type Row struct {
	Line int
	coldchain.Reading
	Bad *BadRow
}

// Rows reads the file by the layout. Times after latest are bad rows. It ends
// with an error only where the file itself cannot be read.
func (l Layout) Rows(r io.Reader, latest time.Time) iter.Seq2[Row, error] {
	return func(yield func(Row, error) bool) {
		c := newReader(bufio.NewReaderSize(text(r), 1<<16), l.Separator)
		p := timeParser{zone: l.Zone, order: l.DateOrder}
		need := max(l.DateColumn, l.TimeColumn, l.TempColumn)
		for n := 0; ; n++ {
			fields, err := c.Read()
			var malformed *csv.ParseError
			if errors.Is(err, io.EOF) {
				return
			} else if err != nil && !errors.As(err, &malformed) {
				yield(Row{}, err)
				return
			}
			if n < l.HeaderLines {
				continue
			}
			line, _ := c.FieldPos(0)
			row := Row{Line: line}
			why := ""
			if malformed != nil {
				row.Line, why = malformed.Line, malformed.Err.Error()
			} else if len(fields) <= need {
				why = fmt.Sprintf("has %d columns", len(fields))
			} else {
				row.Reading, why = l.reading(fields, &p, latest)
			}
			if why != "" {
				row.Bad = &BadRow{row.Line, strings.Join(fields, string(l.Separator)), why}
			}
			if !yield(row, nil) {
				return
			}
		}
	}
}

// reading reads one line, or says why it cannot.
func (l Layout) reading(fields []string, p *timeParser, latest time.Time) (coldchain.Reading, string) {
	stamp := fields[l.DateColumn]
	if l.TimeColumn >= 0 {
		stamp += " " + fields[l.TimeColumn]
	}
	at, ok := p.parse(stamp)
	switch {
	case !ok:
		return coldchain.Reading{}, fmt.Sprintf("time %q is not understood", stamp)
	case at.After(latest):
		return coldchain.Reading{}, "time lies in the future"
	case latest.Sub(at) > probe.Oldest:
		return coldchain.Reading{}, "time lies more than ten years back"
	}
	celsius, err := unit.ParseCelsius(fields[l.TempColumn], l.Unit)
	if err != nil {
		return coldchain.Reading{}, fmt.Sprintf("temperature %q %v", fields[l.TempColumn], err)
	}
	return coldchain.Reading{At: at, Celsius: celsius}, ""
}

// Survey is what a file holds, read from end to end.
type Survey struct {
	Good, Bad   int
	BadRows     []BadRow // the first of them
	First, Last time.Time
	Min, Max    float64
	Ascending   bool // strictly
	Interval    time.Duration
}

// maxBadRows is how many bad rows a Survey lists.
const maxBadRows = 100

// Survey reads the file from end to end and keeps only what it must.
func (l Layout) Survey(r io.Reader, latest time.Time) (Survey, error) {
	s := Survey{Ascending: true}
	var sample []coldchain.Reading // for the usual interval
	var prev time.Time
	for row, err := range l.Rows(r, latest) {
		if err != nil {
			return s, fmt.Errorf("reading the file: %w", err)
		}
		if row.Bad != nil {
			if s.Bad++; len(s.BadRows) < maxBadRows {
				s.BadRows = append(s.BadRows, *row.Bad)
			}
			continue
		}
		if s.Good++; s.Good == 1 {
			s.First, s.Last, s.Min, s.Max = row.At, row.At, row.Celsius, row.Celsius
		}
		s.Ascending = s.Ascending && (s.Good == 1 || row.At.After(prev))
		if row.At.Before(s.First) {
			s.First = row.At
		}
		if row.At.After(s.Last) {
			s.Last = row.At
		}
		s.Min, s.Max = min(s.Min, row.Celsius), max(s.Max, row.Celsius)
		if len(sample) < 2000 && (s.Good == 1 || row.At.After(prev)) {
			sample = append(sample, row.Reading)
		}
		prev = row.At
	}
	s.Interval = coldchain.UsualInterval(sample)
	return s, nil
}

func looksLikeTemperature(s string) bool {
	_, err := unit.ParseCelsius(s, unit.FahrenheitScale)
	if err != nil {
		_, err = unit.ParseCelsius(s, unit.CelsiusScale)
	}
	return err == nil
}

func looksLikeTime(s string) bool {
	_, ok := parseClock(strings.TrimSpace(s))
	return ok
}

func hasTime(s string) bool { return strings.Contains(s, ":") || !strings.ContainsAny(s, "-/.") }

func looksLikeDate(s string) bool {
	if _, _, _, ok := dateNumbers(s); ok {
		return true
	}
	return isEpoch(s)
}

// isEpoch reports whether the text is a time in seconds or milliseconds since
// 1970, of this century.
func isEpoch(s string) bool {
	s = strings.TrimSpace(s)
	if len(s) != 10 && len(s) != 13 {
		return false
	}
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}
