package api

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"testing"

	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// An export that says how far it is sends lines, then the file whole; and every export stands in the audit.
func TestExportSaysHowFarItIs(t *testing.T) {
	s := serve(t)
	get := func(file string) []byte {
		t.Helper()
		req, err := http.NewRequest("GET", s.url+Path+"/export/"+file, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+s.Token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		if err != nil || res.StatusCode != http.StatusOK {
			t.Fatalf("%s: status %d, %v: %.200s", file, res.StatusCode, err, body)
		}
		return body
	}
	plain := get("deliveries.csv")
	said, file, found := bytes.Cut(get("deliveries.csv?progress=1"), []byte("text/csv; charset=utf-8\n"))
	if !found || !bytes.Contains(said, []byte("file\t")) || !bytes.Equal(file, plain) {
		t.Errorf("said %q, then %q; without saying it is %q", said, file, plain)
	}
	lines := strings.Split(string(get("records.xlsx?progress=1")), "\n")
	if !strings.HasPrefix(lines[0], "0\t") || !strings.HasSuffix(lines[0], "\tSafety plan") || !strings.HasPrefix(lines[1], "1\t") {
		t.Errorf("the workbook begins with %q", lines[:2])
	}
	entries, err := s.DB.Audit(s.Ctx, store.AuditParams{SiteID: kitchen.ActorFrom(s.Ctx).Site.ID, Act: string(kitchen.ActExported),
		Before: 1000, Limit: 10})
	if err != nil || len(entries) < 3 || !strings.Contains(entries[0].Subject, "records.xlsx, by the token ") {
		t.Errorf("the audit says %+v, %v", entries, err)
	}
}
