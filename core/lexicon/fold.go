// Package lexicon turns text into words that can be compared, and keeps the words of a region so that they are found as
// they are, by their beginnings and with errors in them.
//
// The words lie in a trie in breadth-first order, read in place. A lookup within k errors walks the trie with one row
// of the distance's dynamic program for each letter and leaves a branch as soon as the whole row exceeds k (Ukkonen
// 1985; the trie in place of the list is Shang and Merrett 1996). A table of deletions (Mor and Fraenkel 1982) needs
// room for each of them, and does not serve beginnings with errors, which every keystroke asks for.
package lexicon

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/mozillazg/go-unidecode"
	"golang.org/x/text/unicode/norm"
)

// FoldVersion is the version of Fold and Words. A region file records it: words folded otherwise would not be found.
const FoldVersion = 1

// Fold returns a text in lower-case Latin letters without accents and apostrophes; other scripts are transliterated.
// What has no transliteration stays as it is.
func Fold(s string) string {
	plain, lower := true, true
	for i := range len(s) {
		plain = plain && s[i] < utf8.RuneSelf && s[i] != '\''
		lower = lower && (s[i] < 'A' || s[i] > 'Z')
	}
	switch {
	case plain && lower:
		return s
	case plain:
		return strings.ToLower(s)
	}
	var out strings.Builder
	for _, c := range norm.NFKD.String(s) {
		switch {
		case c == '\'' || c == '’' || c == 'ʼ' || unicode.Is(unicode.Mn, c):
		case c < utf8.RuneSelf:
			out.WriteRune(unicode.ToLower(c))
		case c == utf8.RuneError || !unicode.IsLetter(c):
			out.WriteByte(' ')
		default:
			latin := softSigns.Replace(unidecode.Unidecode(string(c)))
			if latin == "" {
				latin = string(unicode.ToLower(c))
			}
			out.WriteString(strings.ToLower(latin))
		}
	}
	return out.String()
}

// softSigns are what transliteration leaves of letters that are not heard.
var softSigns = strings.NewReplacer("'", "", "`", "", `"`, "")

// Words cuts a text into its words, folded, letters and digits only.
func Words(s string) []string {
	return strings.FieldsFunc(Fold(s), func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
}

// Spoken returns a text as people read it aloud in a list of words: the display words of a name in the order of Words.
func Spoken(s string) []string {
	return strings.FieldsFunc(s, func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c) && !unicode.Is(unicode.Mn, c) && c != '\'' && c != '’'
	})
}
