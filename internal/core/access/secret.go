package access

import (
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"

	"leancatch/internal/core/invalid"
)

// The lengths of secrets. A PIN counts only on an enrolled device and is
// throttled; a password alone opens an account.
// Source: [OWASP-ASVS, 2.1.1 and 2.1.2] (at least 12, 64 allowed, none above 128).
const (
	leastPIN, mostPIN           = 4, 8
	leastPassword, mostPassword = 12, 128
	leastScore                  = 3 // of 4 by zxcvbn: beyond 10^8 guesses
)

// CheckPIN returns what is wrong with a PIN: digits, 4 to 8 of them, not all the
// same and not in a row up or down (1234, 9876), which are tried first.
func CheckPIN(field, pin string) (bad invalid.Errors) {
	same, up, down := true, true, true
	for i := range len(pin) {
		if pin[i] < '0' || pin[i] > '9' {
			bad.Add(field, "is digits only")
			return bad
		}
		if i > 0 {
			same, up, down = same && pin[i] == pin[i-1], up && pin[i] == pin[i-1]+1, down && pin[i] == pin[i-1]-1
		}
	}
	switch {
	case len(pin) < leastPIN || len(pin) > mostPIN:
		bad.Add(field, "has %d to %d digits", leastPIN, mostPIN)
	case same || up || down:
		bad.Add(field, "is too easy: it would be tried first")
	}
	return bad
}

// CheckPassword returns what is wrong with a password: its length, and how soon
// it would be guessed. known are words that a guesser would try first: the
// person's name, the kitchen's. The estimate is zxcvbn's (D. L. Wheeler, "zxcvbn:
// low-budget password strength estimation", USENIX Security 2016), which knows
// the common passwords, names and words.
func CheckPassword(field, password string, known ...string) (bad invalid.Errors) {
	n := utf8.RuneCountInString(password)
	switch {
	case n < leastPassword:
		bad.Add(field, "has at least %d characters; a sentence is easy to keep", leastPassword)
	case n > mostPassword:
		bad.Add(field, "has at most %d characters", mostPassword)
	case zxcvbn.PasswordStrength(password, words(known)).Score < leastScore:
		bad.Add(field, "would be guessed soon: take more words, or rarer ones")
	}
	return bad
}

func words(known []string) []string {
	out := []string{"lean", "catch", "leancatch", "kitchen", "fish"}
	for _, k := range known {
		out = append(out, strings.Fields(strings.ToLower(k))...)
	}
	return out
}

// CheckUserName returns what is wrong with a user name: 3 to 40 small letters,
// digits, dots, hyphens or underscores.
func CheckUserName(field, name string) (bad invalid.Errors) {
	if len(name) < 3 || len(name) > 40 || strings.Trim(name, "abcdefghijklmnopqrstuvwxyz0123456789.-_") != "" {
		bad.Add(field, "has 3 to 40 small letters, digits, dots or hyphens")
	}
	return bad
}
