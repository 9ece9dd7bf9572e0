package intake

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/unit"
)

var copenhagen = mustZone("Europe/Copenhagen")

func mustZone(name string) *time.Location {
	zone, err := time.LoadLocation(name)
	if err != nil {
		panic(err)
	}
	return zone
}

func TestSniffAndRead(t *testing.T) {
	utc := func(s string) time.Time {
		at, err := time.Parse("2006-01-02 15:04:05", s)
		if err != nil {
			t.Fatal(err)
		}
		return at
	}
	cases := []struct {
		name, file string
		unclear    []string
		first      time.Time
		celsius    float64
		good       int
	}{
		{"ISO with zone", "time,temp_c\n2026-03-01T05:20:00Z,1.5\n2026-03-01T05:25:00Z,1.6\n", nil,
			utc("2026-03-01 05:20:00"), 1.5, 2},
		{"offset", "time,temp (C)\n2026-03-01 05:20:00+01:00,1.5\n", nil, utc("2026-03-01 04:20:00"), 1.5, 1},
		{"local zone, no seconds", "Time,Temperature °C\n2026-03-01 05:20,-0.5\n", nil, utc("2026-03-01 04:20:00"),
			-0.5, 1},
		{"day first, decimal comma, semicolons, lines above",
			"Serial;4711\nUnit;Celsius\n\nNr;Datum;Temp\n1;28.02.2026 23:50;2,5\n2;01.03.2026 00:00;2,75\n", nil,
			utc("2026-02-28 22:50:00"), 2.5, 2},
		{"month first, 12 hours, Fahrenheit, quotes", "\"Date\",\"Temp (F)\"\n\"3/15/26 5:20 PM\",\"35.6\"\n", nil,
			utc("2026-03-15 16:20:00"), 2, 1},
		{"date and time apart, humidity beside", "Date\tTime\tRH %\tTemp degC\n2026-03-01\t05:20:30\t80\t1.5\n", nil,
			utc("2026-03-01 04:20:30"), 1.5, 1},
		{"seconds since 1970, no heading", "1772342400,1.5\n1772342700,1.7\n", []string{"unit"},
			time.Unix(1772342400, 0), 1.5, 2},
		{"nothing tells day from month, nor the unit", "t,x\n01/02/2026 05:20,1.5\n02/02/2026 05:20,1.5\n",
			[]string{"unit", "date_order"}, time.Time{}, 0, 0},
		{"a fridge is no unit", "time,temp_fridge\n2026-03-01 05:20,20.0\n", []string{"unit"}, utc("2026-03-01 04:20:00"), 20, 1},
		{"nor is a freezer in a line above", "walkin_freezer_2\ntime,temperature\n2026-03-01 05:20,-20\n", []string{"unit"},
			utc("2026-03-01 04:20:00"), -20, 1},
		{"two temperatures: which one?", "time,temp set °C,temp actual °C\n2026-03-01 05:20,2.0,7.5\n",
			[]string{"temp_column"}, time.Time{}, 0, 0},
		{"two numbers without a name", "time,a,b\n2026-03-01 05:20,2.0 °C,7.5 °C\n", []string{"unit", "temp_column"},
			time.Time{}, 0, 0},
		{"UTF-16 with a mark",
			"\xff\xfet\x00,\x00C\x00e\x00l\x00s\x00i\x00u\x00s\x00\n\x002\x000\x002\x006\x00-\x000\x003\x00-\x000\x001\x00 \x000\x005\x00:\x002\x000\x00,\x001\x00\n\x00", nil, utc("2026-03-01 04:20:00"), 1, 1},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			l, err := Sniff(strings.NewReader(c.file), copenhagen)
			if err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(l.Unclear(), c.unclear) {
				t.Fatalf("unclear %v, want %v (%+v)", l.Unclear(), c.unclear, l)
			}
			if c.good == 0 {
				return
			}
			if l.Unit == "" {
				l.Unit = unit.CelsiusScale
			}
			s, err := l.Survey(strings.NewReader(c.file), now)
			if err != nil || s.Good != c.good || s.Bad != 0 {
				t.Fatalf("survey %+v, %v; want %d good rows", s, err, c.good)
			}
			if !s.First.Equal(c.first) || s.Min > c.celsius+1e-9 || s.Max < c.celsius-1e-9 {
				t.Errorf("first %v, %v to %v °C; want %v and %v °C", s.First.UTC(), s.Min, s.Max, c.first, c.celsius)
			}
			for row := range l.Rows(strings.NewReader(c.file), now) {
				if d := row.Celsius - c.celsius; d > 1e-9 || d < -1e-9 {
					t.Errorf("first reading %v °C, want %v", row.Celsius, c.celsius)
				}
				break
			}
		})
	}
}

// What a file says of itself above its readings: language, zone, the logger.
func TestWhereAFileComesFrom(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	for _, c := range []struct {
		name, file, language, serial, zone string
		order                              DateOrder
		first                              time.Time
	}{
		{"German, with a zone of its own",
			"Seriennummer: KF-20417;;\nZeitzone;UTC+01:00;\nDatum;Uhrzeit;Temperatur " +
				"[°C]\n05.02.2026;06:10;1,5\n05.02.2026;06:15;1,6\n",
			"German", "KF-20417", "UTC+01:00", DayFirst, time.Date(2026, 2, 5, 5, 10, 0, 0, time.UTC)},
		{"French, both ways possible", "Date et heure;Température °C\n03/02/2026 06:10;1,5\n", "French", "",
			"Europe/Oslo", DayFirst, time.Date(2026, 2, 3, 5, 10, 0, 0, time.UTC)},
		{"a named zone", "Logger ID: 88412A\nTime zone: America/Halifax\ntime,temp (C)\n2026-02-05 06:10,1.5\n",
			"English", "88412A", "America/Halifax", YearFirst, time.Date(2026, 2, 5, 10, 10, 0, 0, time.UTC)},
		{"UTC in the heading", "Time (UTC),temp (C)\n2026-02-05 06:10,1.5\n", "English", "", "UTC", YearFirst,
			time.Date(2026, 2, 5, 6, 10, 0, 0, time.UTC)},
		{"west of it", "GMT-03:30\ntime,temp (C)\n2026-02-05 06:10,1.5\n", "English", "", "GMT-03:30", YearFirst,
			time.Date(2026, 2, 5, 9, 40, 0, 0, time.UTC)},
		{"English, both ways possible", "date,temp (C)\n03/02/2026 06:10,1.5\n", "English", "", "Europe/Oslo", "",
			time.Time{}},
		{"nothing said", "x;y (C)\n2026-02-05 06:10;1.5\n", "", "", "Europe/Oslo", YearFirst,
			time.Date(2026, 2, 5, 5, 10, 0, 0, time.UTC)},
	} {
		t.Run(c.name, func(t *testing.T) {
			l, err := Sniff(strings.NewReader(c.file), oslo)
			if err != nil {
				t.Fatal(err)
			}
			if l.Language != c.language || l.Serial != c.serial || l.Zone.String() != c.zone || l.DateOrder != c.order {
				t.Errorf("language %q, logger %q, zone %s, dates %q", l.Language, l.Serial, l.Zone, l.DateOrder)
			}
			if c.first.IsZero() {
				return
			}
			if s, err := l.Survey(strings.NewReader(c.file), now); err != nil || !s.First.Equal(c.first) {
				t.Errorf("first %s, %v; want %s", s.First.UTC(), err, c.first)
			}
		})
	}
	again, _ := Sniff(strings.NewReader(
		"Seriennummer: KF-20417;;\nZeitzone;UTC+01:00;\nDatum;Uhrzeit;Temperatur [°C]\n07.03.2026;06:10;2,5\n"), oslo)
	other, _ := Sniff(strings.NewReader(
		"Seriennummer: KF-20418;;\nZeitzone;UTC+01:00;\nDatum;Uhrzeit;Temperatur [°C]\n07.03.2026;06:10;2,5\n"), oslo)
	first, _ := Sniff(strings.NewReader(
		"Seriennummer: KF-20417;;\nZeitzone;UTC+01:00;\nDatum;Uhrzeit;Temperatur [°C]\n05.02.2026;06:10;1,5\n"), oslo)
	if again.Fingerprint() != first.Fingerprint() || other.Fingerprint() == first.Fingerprint() {
		t.Error("a logger is not known again, or taken for another")
	}
}

// In the night when the clocks go back an hour is written twice, and lasts twice.
func TestTheHourThatComesTwice(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	var file strings.Builder
	file.WriteString("time,temp (C)\n")
	begin := time.Date(2025, 10, 25, 23, 0, 0, 0, time.UTC) // 01:00 in summer time; back at 01:00 UTC
	for m := 0; m <= 240; m += 10 {
		file.WriteString(begin.Add(time.Duration(m)*time.Minute).In(oslo).Format("2006-01-02 15:04") + ",1.5\n")
	}
	l, err := Sniff(strings.NewReader(file.String()), oslo)
	if err != nil {
		t.Fatal(err)
	}
	m := 0
	for row := range l.Rows(strings.NewReader(file.String()), now) {
		if want := begin.Add(time.Duration(m) * time.Minute); row.Bad != nil || !row.At.Equal(want) {
			t.Errorf("line %d is %s, want %s", row.Line, row.At.UTC(), want)
		}
		m += 10
	}
	if m != 250 {
		t.Errorf("%d minutes", m)
	}
}

func TestBadRowsAreListedAndGoodOnesKept(t *testing.T) {
	file := "time,celsius\n2026-03-01 05:20,1.5\n2026-13-01 05:30,1.5\n2026-03-01 05:40,ERR\n2026-03-01 " +
		"05:50\n2026-03-01 06:00,99\n2027-03-01 06:00,1\n2026-03-01 06:10,1.7\n2026-03-01 05:00,1.1\n"
	l, err := Sniff(strings.NewReader(file), time.UTC)
	if err != nil {
		t.Fatal(err)
	}
	s, err := l.Survey(strings.NewReader(file), now)
	if err != nil || s.Good != 3 || s.Bad != 5 || s.Ascending {
		t.Fatalf("survey %+v, %v", s, err)
	}
	var lines []int
	for _, b := range s.BadRows {
		lines = append(lines, b.Line)
	}
	if want := []int{3, 4, 5, 6, 7}; !slices.Equal(lines, want) {
		t.Errorf("bad lines %v, want %v", lines, want)
	}
}

func TestFilesThatAreNoTable(t *testing.T) {
	for name, file := range map[string]string{
		"empty": "", "prose": "Dear Sirs,\nthe fish was cold.\n",
		"a picture":       "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00",
		"no temperatures": "date,who\n2026-03-01,A\n", "JSON": `{"a": [1, 2]}`,
	} {
		if l, err := Sniff(strings.NewReader(file), time.UTC); !errors.Is(err, ErrNotTable) {
			t.Errorf("%s: %+v, %v; want ErrNotTable", name, l, err)
		}
	}
}

func FuzzLoggerCSV(f *testing.F) {
	f.Add("time,temp_c\n2026-03-01T05:20:00Z,1.5\n")
	f.Add("Nr;Datum;Temp\n1;28.02.2026 23:50;2,5\n")
	f.Add("\"a\n1772342400,1.5")
	f.Fuzz(func(t *testing.T, file string) {
		l, err := Sniff(strings.NewReader(file), time.UTC)
		if err != nil {
			return
		}
		for row, err := range l.Rows(strings.NewReader(file), now) {
			if err == nil && row.Bad == nil && (unit.CheckCelsius(row.Celsius) != nil || row.At.After(now)) {
				t.Errorf("accepted %+v", row)
			}
		}
	})
}

func BenchmarkSurvey(b *testing.B) {
	var file strings.Builder
	file.WriteString("time,temp_c\n")
	for i := range 100_000 {
		file.WriteString(time.Unix(1772342400+int64(i)*60, 0).UTC().Format("2006-01-02 15:04:05"))
		file.WriteString(",1.25\n")
	}
	l, err := Sniff(strings.NewReader(file.String()), time.UTC)
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(file.Len()))
	for b.Loop() {
		if s, err := l.Survey(strings.NewReader(file.String()), time.Unix(1772342400+100_000*60, 0)); err != nil ||
			s.Good != 100_000 {
			b.Fatal(s, err)
		}
	}
	b.ReportMetric(100_000*float64(b.N)/b.Elapsed().Seconds(), "rows/s")
}
