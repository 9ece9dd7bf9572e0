package intake

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// words are what headings say for a date, a time and a temperature, by language.
// Those that two languages share come with the first.
var words = []struct {
	language string
	words    []string
}{
	{"German", []string{"datum", "uhrzeit", "zeit", "temperatur", "zeitstempel", "messwert"}},
	{"French", []string{"date et heure", "heure", "température", "horodatage"}},
	{"Spanish", []string{"fecha", "hora", "temperatura"}},
	{"Italian", []string{"data", "ora", "temperatura"}},
	{"Dutch", []string{"datum", "tijd", "temperatuur"}},
	{"Norwegian or Danish", []string{"dato", "tid", "klokkeslett", "klokkeslæt", "temperatur"}},
	{"Swedish", []string{"datum", "tid", "temperatur"}},
	{"Polish", []string{"data", "czas", "temperatura"}},
	{"English", []string{"date", "time", "timestamp", "temperature", "temp"}},
}

var (
	serialLine = regexp.MustCompile(
		`(?i)(?:serial|s/n|serien|série|serie|logger id|device id|geräte)[^:;,=\t]*[:;,=\t]\s*"?([A-Za-z0-9][A-Za-z0-9\-]{3,31})`)
	offsetZone = regexp.MustCompile(`(?i)\b(?:UTC|GMT)\b(?:\s*([+\-−])\s*(\d{1,2})(?::?(\d{2}))?)?`)
	namedZone  = regexp.MustCompile(
		`\b(?:Africa|America|Antarctica|Asia|Atlantic|Australia|Europe|Indian|Pacific)/[A-Za-z_]+(?:/[A-Za-z_]+)?\b`)
)

// findOrigin reads the language of the headings, the zone and the logger's
// number from the lines above the readings. In a language other than English
// dates that could be either way are day first.
func (l *Layout) findOrigin(rows [][]string) {
	most := 0
	for _, w := range words {
		n := 0
		for _, heading := range l.Columns {
			for _, word := range strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool {
				return strings.ContainsRune(" _()[]/.,°-", r)
			}) {
				for _, known := range w.words {
					if word == known {
						n++
					}
				}
			}
		}
		if n > most {
			most, l.Language = n, w.language
		}
	}
	if l.DateOrder == "" && l.Language != "" && l.Language != "English" {
		l.DateOrder = DayFirst
	}
	for _, row := range rows[:l.HeaderLines] {
		line := strings.Join(row, string(l.Separator))
		if m := serialLine.FindStringSubmatch(line); m != nil && l.Serial == "" {
			l.Serial = m[1]
		}
		if zone, ok := zoneIn(line); ok && !l.ZoneFound {
			l.Zone, l.ZoneFound = zone, true
		}
	}
}

func zoneIn(text string) (*time.Location, bool) {
	if name := namedZone.FindString(text); name != "" {
		if zone, err := time.LoadLocation(name); err == nil {
			return zone, true
		}
	}
	if m := offsetZone.FindStringSubmatch(text); m != nil {
		hours, _ := strconv.Atoi("0" + m[2])
		minutes, _ := strconv.Atoi("0" + m[3])
		seconds := (hours*60 + minutes) * 60
		if seconds == 0 {
			return time.UTC, true
		}
		if hours <= 14 && minutes < 60 {
			if m[1] != "+" {
				seconds = -seconds
			}
			return time.FixedZone(strings.ToUpper(strings.ReplaceAll(m[0], " ", "")), seconds), true
		}
	}
	return nil, false
}

// ErrZone says that a text names no time zone.
var ErrZone = errors.New("is not a time zone: write it like Europe/Oslo or UTC+2")

// ParseZone reads a zone as people write it: Europe/Oslo, UTC, UTC+2, GMT-03:30.
func ParseZone(text string) (*time.Location, error) {
	if zone, ok := zoneIn(text); ok {
		return zone, nil
	}
	return nil, ErrZone
}

// Fingerprint is the same for the files of one logger: by its number where they
// say it, else by how they are laid out.
func (l Layout) Fingerprint() string {
	sum := sha256.Sum256([]byte(l.Serial + "\x00" + string(l.Separator) + "\x00" + strings.Join(l.Columns, "\x00")))
	return hex.EncodeToString(sum[:16])
}
