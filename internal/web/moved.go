package web

import (
	"net/url"
	"strings"
)

// movedPages are the old addresses below /k/<site>/ and where they are now, the most
// particular first. A segment * stands for any one, which is kept.
var movedPages = []struct{ from, to string }{
	{"lots/*/deck", "lots/*/own-catch"},
	{"lots/*/age/look", "lots/*/ageing/check"},
	{"lots/*/age/down", "lots/*/ageing/take-out"},
	{"lots/*/age", "lots/*/ageing"},
	{"lots/*/claims", "lots/*/complaints"},
	{"lots/*/inspect/look", "lots/*/inspect/preview"},
	{"dock", "deliveries"},
	{"dockets", "deliveries"},
	{"market", "deliveries/market"},
	{"deck", "deliveries/own-catch"},
	{"ice/plan", "cold/ice-plan"},
	{"ice/watching", "cold/alarm-settings"},
	{"ice", "cold"},
	{"freezer/letters", "declarations"},
	{"freezer", "cold/freezer"},
	{"thaw/school", "cold/thaw/policy"},
	{"thaw", "cold/thaw"},
	{"ager/hang", "cold/ageing/start"},
	{"ager", "cold/ageing"},
	{"again", "confirm"},
}

// movedTo is where the page of an old address is now, with its query; "" for an
// address that never was one.
func movedTo(u *url.URL) string {
	parts := strings.Split(strings.TrimPrefix(u.EscapedPath(), "/"), "/")
	if len(parts) < 3 || parts[0] != "k" {
		return ""
	}
	for _, page := range movedPages {
		kept, ok := matchSegments(strings.Split(page.from, "/"), parts[2:])
		if !ok {
			continue
		}
		to := []string{"", "k", parts[1]}
		for segment := range strings.SplitSeq(page.to, "/") {
			if segment == "*" {
				segment, kept = kept[0], kept[1:]
			}
			to = append(to, segment)
		}
		moved := url.URL{RawQuery: u.RawQuery}
		return strings.Join(append(to, kept...), "/") + moved.String()
	}
	return ""
}

// matchSegments reports whether a path begins with a pattern, and returns the
// segments for which a * stands, then what follows the pattern.
func matchSegments(pattern, path []string) (kept []string, ok bool) {
	if len(path) < len(pattern) {
		return nil, false
	}
	for i, segment := range pattern {
		switch segment {
		case "*":
			kept = append(kept, path[i])
		case path[i]:
		default:
			return nil, false
		}
	}
	return append(kept, path[len(pattern):]...), true
}
