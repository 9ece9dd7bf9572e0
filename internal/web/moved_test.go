package web

import (
	"net/http"
	"net/url"
	"testing"
)

func TestMovedPages(t *testing.T) {
	for old, want := range map[string]string{
		"/k/quay/dock":                         "/k/quay/deliveries",
		"/k/quay/dockets/0192-a":               "/k/quay/deliveries/0192-a",
		"/k/quay/lots/0192-a/age":              "/k/quay/lots/0192-a/ageing",
		"/k/quay/lots/0192-a/claims/7.pdf":     "/k/quay/lots/0192-a/complaints/7.pdf",
		"/k/quay/ice/places/2?span=week&a=%26": "/k/quay/cold/places/2?span=week&a=%26",
		"/k/quay/freezer/letters":              "/k/quay/declarations",
		"/k/quay/thaw/plans/3/sheet":           "/k/quay/cold/thaw/plans/3/sheet",
		"/k/quay/nowhere":                      "",
		"/k/quay":                              "",
		"/dock":                                "",
		"//evil.example/dock":                  "",
	} {
		u, err := url.Parse(old)
		if err != nil {
			t.Fatal(err)
		}
		if got := movedTo(u); got != want {
			t.Errorf("%s leads to %q, want %q", old, got, want)
		}
	}
}

// A link that somebody kept opens its page; a form that was open while the program
// was updated arrives with its method.
func TestOldAddressesLeadOn(t *testing.T) {
	s := serve(t)
	for _, path := range []string{"/dock", "/ice", "/deck", "/freezer", "/thaw", "/ager", "/market",
		"/lots/" + s.lot.LotID.String()} {
		if status, _ := s.get("/k/quay" + path); status != http.StatusOK {
			t.Errorf("%s: status %d", path, status)
		}
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Post(s.URL+"/k/quay/dock/receive", "application/x-www-form-urlencoded", nil)
	s.must(err)
	res.Body.Close()
	if res.StatusCode != http.StatusPermanentRedirect || res.Header.Get("Location") != "/k/quay/deliveries/receive" {
		t.Errorf("an old form: status %d, to %s", res.StatusCode, res.Header.Get("Location"))
	}
}
