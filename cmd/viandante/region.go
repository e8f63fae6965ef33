package main

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"regexp"
	"time"

	"github.com/spf13/cobra"

	"viandante/codec/geotiff"
	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/relief"
	"viandante/service"
)

func regionCommand(e *env) *cobra.Command {
	cmd := &cobra.Command{Use: "region", Short: "Work with map data"}
	var name, heights string
	build := &cobra.Command{
		Use: "build FILE --name NAME", Short: "Build a region from OSM XML or PBF and put it into use",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			db, closeStore, err := e.openStore(cmd.Context(), false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, closeStore()) }()
			return e.buildRegion(
				cmd.Context(),
				service.New(db, e.regionDir(), e.log, service.Options{}),
				args[0],
				heights,
				name,
			)
		},
	}
	build.Flags().StringVar(&name, "name", "", "the name under which it is put into use")
	build.Flags().StringVar(&heights, "heights", "", "heights for it, as GeoTIFF over latitude and longitude")
	if err := build.MarkFlagRequired("name"); err != nil {
		panic(err) // the flag is defined a line above
	}
	cmd.AddCommand(build)
	return cmd
}

var regionName = regexp.MustCompile(`^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,79}$`)

// buildRegion builds the region of a file and puts it into use, telling how long each stage took.
func (e *env) buildRegion(ctx context.Context, svc *service.Service, file, heights, name string) error {
	if !regionName.MatchString(name) {
		return fmt.Errorf("%q is not a name for a region: letters, digits, spaces, dots, - and _, at most 80", name)
	}
	f, err := os.Open(file)
	if err != nil {
		return fmt.Errorf("the map data cannot be opened: %w", err)
	}
	defer f.Close()
	began := time.Now()
	stage := func(format string, args ...any) {
		fmt.Printf("%6.2f s  %s\n", time.Since(began).Seconds(), fmt.Sprintf(format, args...))
	}
	sum := sha256.New()
	draft, report, err := osm.Read(ctx, io.TeeReader(f, sum), name)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	stage("read %d nodes, %d ways, %d relations", report.Nodes, report.Ways, report.Relations)
	for what, n := range map[string]int{"references to missing nodes": report.MissingNodes,
		"nodes at impossible positions": report.BadPositions,
		"areas that do not close":       report.OpenAreas, "missing members of areas": report.MissingMembers,
		"coasts closed along the border":          report.CutCoasts,
		"restrictions of turns that name no road": report.BadRestrictions} {
		if n > 0 {
			fmt.Printf("          %d %s\n", n, what)
		}
	}
	if heights != "" {
		if draft.Heights, err = readHeights(heights, sum); err != nil {
			return err
		}
		stage(
			"heights: %d by %d, every %.0f m",
			draft.Heights.Width,
			draft.Heights.Height,
			draft.Heights.StepLat*111320,
		)
		if share := covered(draft); share < 0.995 {
			fmt.Printf("          the heights cover %.0f %% of the land; the rest is drawn flat\n", 100*share)
		}
	}
	data, err := region.Encode(draft)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	stage("built: %d features, %d roads, %d addresses", len(draft.Ground), len(draft.Roads), len(draft.Addresses))
	hash, err := svc.UseRegion(ctx, name, hex.EncodeToString(sum.Sum(nil)), data)
	if err != nil {
		return err
	}
	stage("in use as %q: %.1f MB, %s", name, float64(len(data))/1e6, hash[:12])
	return nil
}

// readHeights reads a file of heights; what was read goes into the hash that names the region's source.
func readHeights(file string, sum io.Writer) (*relief.Grid, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, fmt.Errorf("the heights cannot be opened: %w", err)
	}
	defer f.Close()
	grid, err := geotiff.Read(io.TeeReader(f, sum))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return grid, nil
}

// covered returns for which share of the points of the land's outlines and of the roads a height is known.
func covered(d *region.Draft) float64 {
	known, all := 0, 0
	look := func(p geo.E7) {
		all++
		if v := d.Heights.At(float64(p.Lat)/1e7, float64(p.Lng)/1e7); !math.IsNaN(v) {
			known++
		}
	}
	for i := range d.Ground {
		if f := &d.Ground[i]; f.Class == region.Land {
			for _, p := range f.Parts[0] {
				look(p)
			}
		}
	}
	for _, p := range d.RoadNodes {
		look(p)
	}
	if all == 0 {
		return 1
	}
	return float64(known) / float64(all)
}
