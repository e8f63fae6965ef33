package road

import (
	"embed"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"viandante/core/region"
)

//go:embed messages/*.json
var messageFiles embed.FS

// Language words steps. Each is a file of messages: messages/en.json, by the language's tag.
type Language struct {
	sentences  map[string]string
	exits      []string
	headings   []string
	roads      map[string]string
	exit       string
	metres, km string
	point      string
}

var languages = readLanguages()

func readLanguages() map[string]*Language {
	out := map[string]*Language{}
	files, err := messageFiles.ReadDir("messages")
	if err != nil {
		panic(err) // they are part of the program
	}
	for _, f := range files {
		text, err := messageFiles.ReadFile("messages/" + f.Name())
		if err != nil {
			panic(err)
		}
		l, err := readLanguage(text)
		if err != nil {
			panic(fmt.Sprintf("%s: %v", f.Name(), err))
		}
		out[strings.TrimSuffix(f.Name(), ".json")] = l
	}
	return out
}

func readLanguage(text []byte) (*Language, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(text, &all); err != nil {
		return nil, err
	}
	l := &Language{sentences: map[string]string{}}
	for k, raw := range all {
		var into any
		switch k {
		case "exits":
			into = &l.exits
		case "headings":
			into = &l.headings
		case "roads":
			into = &l.roads
		default:
			var s string
			if err := json.Unmarshal(raw, &s); err != nil {
				return nil, err
			}
			l.sentences[k] = s
			continue
		}
		if err := json.Unmarshal(raw, into); err != nil {
			return nil, err
		}
	}
	l.exit, l.metres, l.km, l.point = l.sentences["exit"], l.sentences["metres"], l.sentences["kilometres"],
		l.sentences["point"]
	if len(l.headings) != 8 || l.roads[""] == "" || l.metres == "" || l.km == "" {
		return nil, fmt.Errorf("lacks headings, roads or units")
	}
	return l, nil
}

// LanguageOf returns the language of a tag; ok is false where there are no messages in it.
func LanguageOf(tag string) (*Language, bool) {
	l, ok := languages[tag]
	return l, ok
}

// Languages returns the tags of all languages.
func Languages() []string { return slices.Sorted(maps.Keys(languages)) }

// Say words a step as a person would.
func (l *Language) Say(s *Step) string {
	name := s.Name
	if name == "" {
		if name = l.roads[s.Class.String()]; name == "" {
			name = l.roads[""]
		}
	}
	key := string(s.Turn)
	switch {
	case s.Turn == Arrive && s.Side != "":
		key = "arrive " + s.Side
	case s.Turn == Arrive:
	case s.Class == region.Ferry:
		key = "ferry"
	case s.Exit > 0:
		key = "roundabout"
	case s.Class == region.Steps && s.Climb > 0.5:
		key = "steps up"
	case s.Class == region.Steps && s.Climb < -0.5:
		key = "steps down"
	case s.Class == region.Steps:
		key = "steps"
	}
	exit := strings.ReplaceAll(l.exit, "{n}", strconv.Itoa(s.Exit))
	if s.Exit > 0 && s.Exit <= len(l.exits) {
		exit = l.exits[s.Exit-1]
	}
	heading := ""
	if !math.IsNaN(s.Bearing) {
		heading = l.headings[int(math.Round(s.Bearing/45)+8)%8]
	}
	return strings.NewReplacer("{road}", name, "{exit}", exit, "{heading}", heading).Replace(l.sentences[key])
}

// Distance words a distance as people say it: by tens of metres up to 100 m, by fifties up to 1 km, by hundreds up to
// 10 km, then by kilometres.
func (l *Language) Distance(metres float64) string {
	switch {
	case metres < 95:
		return strings.ReplaceAll(l.metres, "{n}", strconv.Itoa(int(math.Round(metres/10)*10)))
	case metres < 975:
		return strings.ReplaceAll(l.metres, "{n}", strconv.Itoa(int(math.Round(metres/50)*50)))
	case metres < 9950:
		n := strings.ReplaceAll(strconv.FormatFloat(math.Round(metres/100)/10, 'f', -1, 64), ".", l.point)
		return strings.ReplaceAll(l.km, "{n}", n)
	}
	return strings.ReplaceAll(l.km, "{n}", strconv.Itoa(int(math.Round(metres/1000))))
}
