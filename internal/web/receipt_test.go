package web

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"leancatch/internal/core/freshness"
	"leancatch/internal/kitchen"
	"leancatch/internal/photo"
)

// uploadPhoto posts a file with its fields to the lot and returns the status and the
// page.
func (s *site) uploadPhoto(path string, file []byte, fields map[string]string) (int, string) {
	s.t.Helper()
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	for name, value := range fields {
		s.must(w.WriteField(name, value))
	}
	part, err := w.CreateFormFile("photo", "fish.jpg")
	s.must(err)
	_, err = part.Write(file)
	s.must(err)
	s.must(w.Close())
	res, err := http.Post(s.URL+path, w.FormDataContentType(), &body)
	s.must(err)
	return s.read(res)
}

func aPicture() []byte {
	img := image.NewRGBA(image.Rect(0, 0, 64, 48))
	for i := range img.Pix {
		img.Pix[i] = 200
	}
	img.Set(3, 3, color.White)
	var b bytes.Buffer
	_ = jpeg.Encode(&b, img, nil) // a buffer does not fail
	return b.Bytes()
}

// A photo is kept with its lot, served as a picture and nothing else, and only
// to its own kitchen. Hostile files are named beside the field and keep the
// caption that was typed.
func TestPhotosOverHTTP(t *testing.T) {
	s := serve(t)
	card := "/k/quay/lots/" + s.lot.LotID.String()
	id := kitchen.NewID().String()
	for range 2 { // a form sent twice is one photo
		if status, page := s.uploadPhoto(card+"/photos", aPicture(),
			map[string]string{"event_id_new": id, "caption": "the <left> eye"}); status != 200 || strings.Count(page,
			"?small=1") != 1 {
			t.Fatalf("status %d, %d photos on the card", status, strings.Count(page, "?small=1"))
		}
	}
	_, page := s.get(card)
	if !strings.Contains(page, "the &lt;left&gt; eye") || strings.Contains(page, "the <left> eye") {
		t.Error("the caption is not shown as it was typed")
	}
	path := regexp.MustCompile(`/k/quay/photos/[0-9a-f-]+\.jpg`).FindString(page)
	res, err := http.Get(s.URL + path)
	s.must(err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	s.must(err)
	if _, err := jpeg.Decode(bytes.NewReader(data)); err != nil || res.Header.Get("Content-Type") != "image/jpeg" ||
		res.Header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("served as %s: %v", res.Header.Get("Content-Type"), err)
	}
	other, err := s.k.AddSite(context.Background(), kitchen.Setup{Name: "Elsewhere", TimeZone: "UTC", Profile: "eu",
		People: []kitchen.NewPerson{{Name: "Ove", Role: "manager"}},
		Places: []kitchen.NewPlace{{Name: "Dock", Kind: "dock", SetC: 4}}})
	s.must(err)
	if status, _ := s.get(strings.Replace(path, "quay", other.Slug, 1)); status != 404 {
		t.Errorf("another kitchen sees it: status %d", status)
	}
	for name, c := range map[string]struct {
		file []byte
		want string
	}{
		"a script": {[]byte("<script>alert(1)</script>"), photo.ErrType.Error()},
		"nothing":  {nil, photo.ErrNoPicture.Error()},
		"half":     {aPicture()[:len(aPicture())-40], photo.ErrBroken.Error()},
		"huge":     {make([]byte, photo.MaxBytes+2<<20), photo.ErrTooLarge.Error()},
	} {
		status, page := s.uploadPhoto(card+"/photos", c.file,
			map[string]string{"event_id_new": kitchen.NewID().String(), "caption": "kept words"})
		if status != 422 || !strings.Contains(page, c.want) {
			t.Errorf("%s: status %d, want it to say %q", name, status, c.want)
		}
		if name != "huge" && !strings.Contains(page, "kept words") { // of a body that is cut off nothing can be kept
			t.Errorf("%s: the caption is lost", name)
		}
	}
	if status, _ := s.get("/k/quay/photos/..%2f..%2fetc.jpg"); status != 404 {
		t.Errorf("a strange address: status %d", status)
	}
}

// An order is placed line by line, comes in with its delivery, and is ticked on
// the card; a claim on it is a paper.
func TestOrderToComplaintOverHTTP(t *testing.T) {
	s := serve(t)
	order := url.Values{"new_id": {kitchen.NewID().String()}, "species": {"herrin"}, "form": {"whole"}, "count": {""},
		"weight_kg": {"12,5"}, "fee": {"x"}, "trim-guts": {"off"}, "supplier": {"Auk Wharf"}, "action": {"add"}}
	status, page := s.submit("/k/quay/deliveries/order", order)
	if status != 422 || !strings.Contains(page, "did you mean") || !strings.Contains(page, "is not an amount") ||
		!strings.Contains(page, `value="12,5"`) || !strings.Contains(page, "Auk Wharf") {
		t.Fatalf("a wrong line: status %d", status)
	}
	order.Set("species", "Herring")
	order.Set("fee", "7.50")
	order.Set("action", "place_id")
	if status, page = s.submit("/k/quay/deliveries/order", order); status != 200 || !strings.Contains(page,
		"Ordered, still to come") {
		t.Fatalf("placing it: status %d", status)
	}
	receive := regexp.MustCompile(`/k/quay/deliveries/receive\?order=[0-9a-f-]+`).FindString(page)
	_, page = s.get(receive)
	field := func(name string) string {
		m := regexp.MustCompile(`name="` + name + `"[^>]*?value="([^"]*)"`).FindStringSubmatch(page)
		if m == nil {
			t.Fatalf("no field %s", name)
		}
		return m[1]
	}
	if field("line-0-species") != "Herring" || field("line-0-weight_kg") != "12.5" || field("supplier") != "Auk Wharf" {
		t.Errorf("the docket begins with %s, %s", field("line-0-species"), field("line-0-weight_kg"))
	}
	place := regexp.MustCompile(`<option value="(\d+)">Walk-in`).FindStringSubmatch(page)[1]
	docket := url.Values{"new_id": {field("new_id")}, "order": {field("order")}, "lines": {"1"}, "supplier": {"Auk Wharf"},
		"arrived_at": {field("arrived_at")}, "action": {"receive"},
		"line-0-species": {"Herring"}, "line-0-form": {"whole"}, "line-0-count": {"80"}, "line-0-weight_kg": {"12.5"},
		"line-0-core_celsius": {"1"}, "line-0-ice": {"well_iced"}, "line-0-place_id": {place},
		"line-0-ordered": {field("line-0-ordered")}}
	if status, page = s.submit("/k/quay/deliveries/receive", docket); status != 200 {
		t.Fatalf("receiving it: status %d", status)
	}
	_, main, _ := strings.Cut(page, "<main") // past the pins of other lots
	card := regexp.MustCompile(`/k/quay/lots/[0-9a-f-]{36}`).FindString(main)
	if _, page = s.get("/k/quay/deliveries"); strings.Contains(page, "still to come") {
		t.Error("the order is still open")
	}
	_, page = s.get(card)
	if !regexp.MustCompile(`name="trim-guts" value="off"[^>]*checked`).MatchString(page) || !strings.Contains(page,
		"cleaning 7.50") {
		t.Error("the card does not know what was ordered")
	}
	check := url.Values{"event_id_new": {kitchen.NewID().String()}, "trim-guts": {"off"}, "wrong-guts": {"1"},
		"packing_faults": {"warm"}, "rework_minutes": {"20"}, "packing_celsius": {"3,5"}}
	if status, page = s.submit(card+"/events/checked", check); status != 200 || !strings.Contains(page,
		"Guts still on; Warm box; 20 min of rework, 8.67") {
		t.Errorf("the check: status %d", status)
	}
	claim := url.Values{"event_id_new": {kitchen.NewID().String()}, "weight_kg": {"12.5"}, "asks": {"rework"},
		"reasons": {" \n"}, "note": {"as on the phone"}}
	if status, page = s.submit(card+"/events/claimed", claim); status != 422 || !strings.Contains(page,
		"give at least one reason") || !strings.Contains(page, "as on the phone") {
		t.Errorf("a claim without a reason: status %d", status)
	}
	claim.Set("reasons", "guts still on\n\nbox was warm")
	if status, page = s.submit(card+"/events/claimed", claim); status != 200 {
		t.Fatalf("the claim: status %d", status)
	}
	paper := regexp.MustCompile(`/k/quay/lots/[0-9a-f-]+/complaints/[0-9a-f-]+\.pdf`).FindString(page)
	if status, pdf := s.get(paper); status != 200 || !strings.HasPrefix(pdf, "%PDF-") {
		t.Errorf("the paper: status %d", status)
	}
	if status, _ := s.get(strings.Replace(paper, ".pdf", "0.pdf", 1)); status != 404 {
		t.Errorf("a claim that is not: status %d", status)
	}
}

// What the drawings show is named by their address; what they do not know is
// not found.
func TestDrawingsOverHTTP(t *testing.T) {
	s := serve(t)
	for path, want := range map[string]int{
		"/draw/cod.whole/eye.svg?show=eye_cloud:1,eye_flat:0.5":                     200,
		"/draw/tuna.loin/bloodline.svg?show=dark:1":                                 200,
		"/draw/salmon.fillet_skin_on.frozen/drip.svg?show=drip:1":                   200,
		"/draw/flat.gutted/all.svg":                                                 200,
		"/draw/unicorn.whole/eye.svg":                                               404,
		"/draw/cod.whole/eye.svg?show=eye_cloud:7":                                  404,
		"/draw/cod.whole/eye.svg?show=wings:1":                                      404,
		"/draw/cod.whole/eye.svg?show=" + strings.Repeat("eye_cloud:1,", 400) + "x": 404,
		"/k/quay/trimmed?figure=bream&form=whole&off=head,guts&wrong=guts":          200,
		"/k/quay/trimmed?figure=bream&form=stew":                                    404,
	} {
		if status, body := s.get(path); status != want || want == 200 && !strings.Contains(body, "<svg") {
			t.Errorf("%s: status %d, want %d", path, status, want)
		}
	}
}

// The market judges as signs are chosen, keeps nothing until it is told to, and
// says what is wrong beside the field.
func TestMarketOverHTTP(t *testing.T) {
	s := serve(t)
	form := url.Values{"new_id": {kitchen.NewID().String()}, "species": {"Mackerel"}, "form": {"whole"},
		"sign-smell": {"2"}, "stall": {"by the <church>"}, "preview": {"1"}}
	status, page := s.submit("/k/quay/deliveries/market", form)
	if status != 200 || !strings.Contains(page, "Refuse") {
		t.Errorf("judging: status %d", status)
	}
	form.Del("preview")
	form.Set("weight_kg", "a lot")
	form.Set("stall-out", "maybe")
	status, page = s.submit("/k/quay/deliveries/market", form)
	if status != 422 || !strings.Contains(page, "by the &lt;church&gt;") || !strings.Contains(page, `value="a lot"`) {
		t.Errorf("a wrong weight: status %d", status)
	}
	form.Set("weight_kg", "2.5")
	if status, page = s.submit("/k/quay/deliveries/market", form); status != 422 || !strings.Contains(page,
		"is not an answer to") {
		t.Errorf("an answer that is not on the card: status %d", status)
	}
	form.Set("stall-out", "no")
	if status, page = s.submit("/k/quay/deliveries/market", form); status != 200 || !strings.Contains(page,
		"May I have it out of the case? No.") {
		t.Errorf("keeping it: status %d", status)
	}
	form.Del("sign-smell")
	form.Set("new_id", kitchen.NewID().String())
	if status, page = s.submit("/k/quay/deliveries/market", form); status != 422 || !strings.Contains(page,
		"choose at least one sign") {
		t.Errorf("a look at nothing: status %d", status)
	}
}

// Editing a scheme gives back what was typed where it is wrong, and leaves the
// application's own schemes alone.
func TestSchemesOverHTTP(t *testing.T) {
	s := serve(t)
	if status, page := s.submit("/k/quay/schemes", url.Values{"from": {"quick"}, "name": {""}}); status != 422 ||
		!strings.Contains(page, "give it a name") {
		t.Errorf("a copy without a name: status %d", status)
	}
	if status, _ := s.submit("/k/quay/schemes", url.Values{"from": {"nothing"}, "name": {"X"}}); status != 404 {
		t.Errorf("a copy of nothing: status %d", status)
	}
	status, page := s.submit("/k/quay/schemes", url.Values{"from": {"frozen"}, "name": {"Our packs"}})
	if status != 200 || !strings.Contains(page, "Our packs") {
		t.Fatalf("a copy: status %d", status)
	}
	own, err := s.k.HouseSchemes(s.ctx)
	s.must(err)
	path := "/k/quay/schemes/" + own[0].ID
	edit := url.Values{"name": {"Our packs"}, "min_signs": {"2"}, "version": {"1"}}
	for _, sign := range own[0].Signs[:3] { // two signs are left out
		name := "sign-" + sign.ID
		edit.Set(name+"-name", sign.Name)
		edit.Set(name+"-ask", sign.Ask)
		edit.Set(name+"-weight", "1")
		for l, level := range sign.Levels {
			edit.Set(name+"-level-"+string(rune('0'+l))+"-name", level.Name)
		}
	}
	edit.Set("sign-seal-weight", "heavy")
	if status, page = s.submit(path, edit); status != 422 || !strings.Contains(page, "is not a whole number") {
		t.Errorf("a wrong weight: status %d", status)
	}
	edit.Set("sign-seal-weight", "4")
	edit.Set("sign-seal-level-2-decision", string(freshness.Refuse))
	edit.Set("sign-seal-level-2-hard", "1")
	if status, page = s.submit(path, edit); status != 200 || !strings.Contains(page, "Saved.") {
		t.Fatalf("saving it: status %d", status)
	}
	if own, _ = s.k.HouseSchemes(s.ctx); own[0].Version != 2 || own[0].Max() != 12 || len(own[0].Signs) != 3 ||
		!own[0].Signs[0].Levels[2].Effect.Hard {
		t.Errorf("saved as %+v", own[0])
	}
	if status, page = s.submit(path, edit); status != 422 || !strings.Contains(page,
		"somebody else saved this scheme") {
		t.Errorf("the same version again: status %d", status)
	}
	if status, _ = s.submit("/k/quay/schemes/quick",
		url.Values{"name": {"Mine now"}, "min_signs": {"1"}, "version": {"1"}}); status == 200 {
		t.Error("one of the application's own was edited")
	}
	if built, _ := freshness.Get("quick"); built.Name != "Quick look" || len(built.Signs) != 8 {
		t.Error("an edit reached the application's own scheme")
	}
	if status, _ = s.submit(path, url.Values{"do": {"retire"}}); status != 200 {
		t.Errorf("taking it out of use: status %d", status)
	}
	if status, _ = s.get(path); status != 404 {
		t.Errorf("it is still there: status %d", status)
	}
}
