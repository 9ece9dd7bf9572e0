package intake

import (
	"strconv"
	"strings"
	"time"
)

// timeParser reads the stamps of one file. Loggers write the same date on many
// lines in a row, so it keeps the last day.
type timeParser struct {
	zone    *time.Location
	order   DateOrder
	dayText string
	day     time.Time
	prev    time.Time // of the line before
}

// parse reads "2026-03-01T05:20:00Z", "2026-03-01 05:20", "01.03.2026 05:20:30",
// "3/1/26 5:20 PM" or seconds since 1970. A stamp without a zone is in p.zone.
func (p *timeParser) parse(s string) (time.Time, bool) {
	s = strings.TrimSpace(s)
	if isEpoch(s) {
		n, _ := strconv.ParseInt(s, 10, 64)
		if len(s) == 13 {
			return time.UnixMilli(n).UTC(), true
		}
		return time.Unix(n, 0).UTC(), true
	}
	split := strings.IndexAny(s, "T ")
	if split < 0 {
		return time.Time{}, false // a date alone is no point in time
	}
	if s[:split] != p.dayText && !p.setDay(s[:split]) {
		return time.Time{}, false
	}
	clock := strings.TrimSpace(s[split+1:])
	zone := p.zone
	if utc, ok := strings.CutSuffix(clock, "Z"); ok {
		zone, clock = time.UTC, utc
	} else if i := strings.LastIndexAny(clock, "+-"); i >= 0 {
		at, err := time.Parse("Z07:00", strings.TrimSpace(clock[i:]))
		if err != nil {
			if at, err = time.Parse("-0700", clock[i:]); err != nil {
				return time.Time{}, false
			}
		}
		zone, clock = at.Location(), strings.TrimSpace(clock[:i])
	}
	d, ok := parseClock(clock)
	if !ok {
		return time.Time{}, false
	}
	if zone == time.UTC {
		return p.day.Add(d), true
	}
	y, m, day := p.day.Date()
	p.prev = unfold(time.Date(y, m, day, 0, 0, 0, int(d), zone), p.prev)
	return p.prev, true
}

// unfold chooses between the two times of a local stamp in the hour that the
// clocks go back: the first, unless that was over at the line before.
func unfold(t, prev time.Time) time.Time {
	offset := func(t time.Time) int { _, seconds := t.Zone(); return seconds }
	const hour = 3600
	switch here := offset(t); {
	case offset(t.Add(-time.Hour)) == here+hour &&
		t.Add(-time.Hour).After(prev): // t is the second, and the first is to come
		return t.Add(-time.Hour)
	case offset(t.Add(time.Hour)) == here-hour && !t.After(prev): // t is the first, and over
		return t.Add(time.Hour)
	}
	return t
}

func (p *timeParser) setDay(s string) bool {
	a, b, c, ok := dateNumbers(s)
	if !ok {
		return false
	}
	switch p.order {
	case DayFirst:
		a, c = c, a
	case MonthFirst:
		a, b, c = c, a, b
	}
	if a < 100 {
		a += 2000
	}
	day := time.Date(a, time.Month(b), c, 0, 0, 0, 0, time.UTC)
	if day.Day() != c || int(day.Month()) != b {
		return false
	}
	p.dayText, p.day = s, day
	return true
}

// dateNumbers reads the three numbers of a date such as 2026-03-01, 1.3.26 or
// 03/01/2026, at the beginning of the text.
func dateNumbers(s string) (a, b, c int, ok bool) {
	s = strings.TrimSpace(s)
	if i := strings.IndexAny(s, "T "); i >= 0 {
		s = s[:i]
	}
	sep := strings.IndexAny(s, "-/.")
	if sep < 1 {
		return 0, 0, 0, false
	}
	parts := strings.Split(s, s[sep:sep+1])
	if len(parts) != 3 {
		return 0, 0, 0, false
	}
	var n [3]int
	for i, part := range parts {
		v, err := strconv.Atoi(part)
		if err != nil || v < 0 || len(part) > 4 {
			return 0, 0, 0, false
		}
		n[i] = v
	}
	return n[0], n[1], n[2], true
}

// parseClock reads the time of day: 5:20, 05:20:30, 05:20:30.250, 5:20 PM.
func parseClock(s string) (time.Duration, bool) {
	half := time.Duration(-1)
	if n := len(s); n > 2 {
		switch strings.ToUpper(s[n-2:]) {
		case "AM":
			half, s = 0, strings.TrimSpace(s[:n-2])
		case "PM":
			half, s = 12*time.Hour, strings.TrimSpace(s[:n-2])
		}
	}
	hours, s, ok1 := clockNumber(s)
	minutes, s, ok2 := clockNumber(s)
	if !ok1 || !ok2 || hours > 23 || minutes > 59 {
		return 0, false
	}
	d := time.Duration(hours)*time.Hour + time.Duration(minutes)*time.Minute
	if s != "" {
		seconds, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
		if err != nil || !(seconds >= 0 && seconds < 60) || s[0] < '0' || s[0] > '9' {
			return 0, false
		}
		d += time.Duration(seconds*1e6) * time.Microsecond
	}
	if half >= 0 {
		if hours < 1 || hours > 12 {
			return 0, false
		}
		d = d%(12*time.Hour) + half
	}
	return d, true
}

// clockNumber reads one or two digits and the colon behind them, if there is one.
func clockNumber(s string) (v int, rest string, ok bool) {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		v = v*10 + int(s[n]-'0')
		n++
	}
	if n < 1 || n > 2 || n < len(s) && s[n] != ':' {
		return 0, "", false
	}
	return v, strings.TrimPrefix(s[n:], ":"), true
}
