// Package profiles reads profiles of travel from files in YAML, and has those that ship with the program: car, bicycle
// and foot. docs/routing.md tells what each entry means.
package profiles

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"path"
	"slices"
	"strings"

	"gopkg.in/yaml.v3"

	"viandante/core/region"
	"viandante/core/road"
)

//go:embed *.yaml
var shipped embed.FS

// most is the greatest size of a profile's file, in bytes.
const most = 256 << 10

// file is a profile as it is written.
type file struct {
	Name       string             `yaml:"name"`
	Title      string             `yaml:"title"`
	Like       string             `yaml:"like"`
	Kind       string             `yaml:"kind"`
	Access     []string           `yaml:"access"`
	OneWay     []string           `yaml:"oneway"`
	Vehicles   []string           `yaml:"vehicles"`
	Speeds     map[string]float64 `yaml:"speeds"`
	Other      *float64           `yaml:"other"`
	LimitShare *float64           `yaml:"limit_share"`
	AtMost     map[string]float64 `yaml:"at_most"`
	Top        *float64           `yaml:"top"`
	Prefer     map[string]float64 `yaml:"prefer"`
	Points     map[string]seconds `yaml:"points"`
	Ferry      struct {
		Board *float64 `yaml:"board"`
	} `yaml:"ferry"`
	Climb struct {
		Up   *float64 `yaml:"up"`
		Down *float64 `yaml:"down"`
	} `yaml:"climb"`
	Turns struct {
		Near     *float64 `yaml:"near"`
		Across   *float64 `yaml:"across"`
		Sharp    *float64 `yaml:"sharp"`
		Round    *float64 `yaml:"round"`
		Larger   *float64 `yaml:"larger"`
		KeepLeft *bool    `yaml:"keep_left"`
	} `yaml:"turns"`
	Walk struct {
		Weight *float64 `yaml:"weight"`
	} `yaml:"walk"`
}

// seconds is a number, or closed.
type seconds float64

// UnmarshalYAML reads a number, or closed.
func (s *seconds) UnmarshalYAML(n *yaml.Node) error {
	if n.Value == "closed" {
		*s = seconds(math.Inf(1))
		return nil
	}
	var v float64
	if err := n.Decode(&v); err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return fmt.Errorf("line %d: %q is neither a number of seconds nor closed", n.Line, n.Value)
	}
	*s = seconds(v)
	return nil
}

// Read reads a profile. Where it begins with like, it changes the one of that name among known.
func Read(r io.Reader, known map[string]*road.Profile) (*road.Profile, error) {
	text, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return nil, err
	}
	if len(text) > most {
		return nil, fmt.Errorf("has more than %d kB", most>>10)
	}
	var f file
	d := yaml.NewDecoder(bytes.NewReader(text))
	d.KnownFields(true)
	if err := d.Decode(&f); errors.Is(err, io.EOF) {
		return nil, errors.New("is empty")
	} else if err != nil {
		return nil, err
	}
	p := &road.Profile{WalkWeight: 2.5, Top: 130, Other: 5}
	if f.Like != "" {
		base := known[f.Like]
		if base == nil {
			return nil, fmt.Errorf("is like %q, which is no profile", f.Like)
		}
		p = base.Clone()
	}
	if err := f.apply(p); err != nil {
		return nil, err
	}
	return p, p.Check()
}

func (f *file) apply(p *road.Profile) (err error) {
	p.Name = f.Name
	if p.Title = f.Title; p.Title == "" {
		p.Title = f.Name
	}
	if f.Kind != "" || f.Like == "" {
		if p.Kind, err = region.ParseMode(f.Kind); err != nil {
			return fmt.Errorf("kind: %w", err)
		}
	}
	for _, list := range []struct {
		from []string
		to   *[]string
	}{{f.Access, &p.Access}, {f.OneWay, &p.OneWay}, {f.Vehicles, &p.Vehicles}} {
		if list.from != nil {
			*list.to = list.from
		}
	}
	points := map[string]float64{}
	for k, v := range f.Points {
		points[k] = float64(v)
	}
	for _, table := range []struct {
		from map[string]float64
		to   *map[string]float64
	}{{f.Speeds, &p.Speeds}, {f.AtMost, &p.AtMost}, {f.Prefer, &p.Prefer}, {points, &p.Points}} {
		for k, v := range table.from {
			if *table.to == nil {
				*table.to = map[string]float64{}
			}
			(*table.to)[k] = v
		}
	}
	for _, number := range []struct {
		from *float64
		to   *float64
	}{{f.Other, &p.Other}, {f.LimitShare, &p.LimitShare}, {f.Top, &p.Top}, {f.Ferry.Board, &p.BoardS},
		{f.Climb.Up, &p.UpS}, {f.Climb.Down, &p.DownS}, {f.Turns.Near, &p.Turns.Near}, {f.Turns.Across,
			&p.Turns.Across},
		{f.Turns.Sharp, &p.Turns.Sharp}, {f.Turns.Round, &p.Turns.Round}, {f.Turns.Larger, &p.Turns.Larger},
		{f.Walk.Weight, &p.WalkWeight}} {
		if number.from != nil {
			*number.to = *number.from
		}
	}
	if f.Turns.KeepLeft != nil {
		p.Turns.KeepLeft = *f.Turns.KeepLeft
	}
	return nil
}

// Shipped returns the profiles that ship with the program, by name.
func Shipped() map[string]*road.Profile {
	out := map[string]*road.Profile{}
	if err := add(out, shipped); err != nil {
		panic(err) // a test reads them all
	}
	return out
}

// With returns the shipped profiles and those of a directory's files, *.yaml, which may replace shipped ones by name. A
// file that cannot be used is left out, and the error names it and the reason; the others count.
func With(dir fs.FS) (map[string]*road.Profile, error) {
	out := Shipped()
	err := add(out, dir)
	return out, err
}

func add(out map[string]*road.Profile, dir fs.FS) (wrong error) {
	names, err := fs.Glob(dir, "*.yaml")
	if err != nil {
		return err
	}
	slices.Sort(names)
	for left := names; len(left) > 0; { // one that is like another comes after it
		var later []string
		var reasons error
		for _, name := range left {
			p, err := readFile(dir, name, out)
			if err != nil {
				later = append(later, name)
				reasons = errors.Join(reasons, fmt.Errorf("%s: %w", name, err))
				continue
			}
			out[p.Name] = p
		}
		if len(later) == len(left) {
			return reasons
		}
		left = later
	}
	return nil
}

func readFile(dir fs.FS, name string, known map[string]*road.Profile) (*road.Profile, error) {
	f, err := dir.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	p, err := Read(f, known)
	if err == nil && p.Name != strings.TrimSuffix(path.Base(name), ".yaml") {
		err = fmt.Errorf("names itself %q; a profile has the name of its file", p.Name)
	}
	return p, err
}
