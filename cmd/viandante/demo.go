package main

import (
	"bufio"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"viandante/codec/geotiff"
	"viandante/codec/osm"
	"viandante/demo"
	"viandante/server"
	"viandante/service"
	"viandante/service/access"
	"viandante/standin"
	"viandante/store"
)

// The demo's workspace, its region and the version of what is written for it: a higher one writes it anew.
var (
	demoWorkspace = uuid.MustParse("0193d4a0-0000-7000-8000-00000000d300")
	demoActor     = access.Program(demoWorkspace, "demo")
)

const (
	demoRegion  = "Orrisand"
	demoVersion = "demo-12"
	demoPlaces  = 96
)

func demoCommand(e *env) *cobra.Command {
	var seed uint64
	cmd := &cobra.Command{
		Use: "demo", Short: "Serve the demo: a made-up island and its places", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return e.run(cmd.Context(), e.prepareDemo) },
	}
	e.serveFlags(cmd)
	var out, heights string
	var scale int
	demoMap := &cobra.Command{
		Use: "map --out FILE", Short: "Write the made-up island as OSM XML or PBF, by the file's suffix",
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if scale < 1 || scale > 200 {
				return fmt.Errorf("--scale is how many islands are made, from 1 to 200, not %d", scale)
			}
			return writeIslands(out, heights, seed, scale)
		},
	}
	demoMap.Flags().StringVar(&out, "out", "", "the file to write: .osm or .osm.pbf")
	demoMap.Flags().StringVar(&heights, "heights", "", "also write the heights of the first island, as GeoTIFF")
	demoMap.Flags().IntVar(&scale, "scale", 1, "how many islands; 24 have some million road nodes")
	demoMap.Flags().Uint64Var(&seed, "seed", 1, "another seed gives another island")
	if err := demoMap.MarkFlagRequired("out"); err != nil {
		panic(err) // the flag is defined above
	}
	cmd.AddCommand(demoMap)
	return cmd
}

// writeIslands writes the made-up map, and where a file for them is named the heights of the first island.
func writeIslands(file, heights string, seed uint64, scale int) error {
	return writeMap(file, func(w osm.Writer) error {
		return demo.Archipelago(seed, scale, func(number int, island *demo.Island) error {
			island.Write(w)
			if heights == "" || number > 0 {
				return nil
			}
			return writeHeights(heights, island)
		})
	})
}

func writeMap(file string, fill func(osm.Writer) error) error {
	f, err := os.Create(file)
	if err != nil {
		return fmt.Errorf("the map cannot be written: %w", err)
	}
	w := osm.NewWriter(f, file)
	return errors.Join(fill(w), w.Close(), f.Close())
}

func writeHeights(file string, island *demo.Island) error {
	f, err := os.Create(file)
	if err != nil {
		return fmt.Errorf("the heights cannot be written: %w", err)
	}
	w := bufio.NewWriter(f)
	return errors.Join(geotiff.Write(w, island.Heights()), w.Flush(), f.Close())
}

// prepareDemo makes the demo's workspace, token, map and places, each once.
func (e *env) prepareDemo(ctx context.Context, db *store.Store, svc *service.Service) (*server.Demo, error) {
	if err := db.CreateWorkspace(ctx, demoWorkspace, "Wayfarers' society (demo)"); err != nil {
		return nil, err
	}
	if err := e.demoToken(ctx, db); err != nil {
		return nil, err
	}
	if err := svc.Load(ctx); err != nil {
		return nil, err
	}
	mark := filepath.Join(e.data, "demo.standpoint")
	out := &server.Demo{Demo: access.Demo{Workspace: demoWorkspace}, StandIn: standin.Imagery()}
	if err := errors.Join(e.plantImagery(ctx, svc), e.plantLink(ctx, svc)); err != nil {
		return nil, err
	}
	e.beside = walk
	if text, err := os.ReadFile(mark); err == nil && svc.RegionSource(demoRegion) != "" {
		version, standpoint, _ := strings.Cut(strings.TrimSpace(string(text)), " ")
		if err := out.Standpoint.UnmarshalText([]byte(standpoint)); err == nil && version == demoVersion {
			return out, nil
		}
	}
	fmt.Println("Drawing the island …")
	island := demo.New(1)
	file, heights := filepath.Join(e.data, "island.osm.pbf"), filepath.Join(e.data, "island.tif")
	fill := func(w osm.Writer) error { island.Write(w); return writeHeights(heights, island) }
	if err := writeMap(file, fill); err != nil {
		return nil, err
	}
	if err := e.buildRegion(ctx, svc, file, heights, demoRegion); err != nil {
		return nil, err
	}
	fmt.Println("Setting out the society's posts …")
	if err := plant(ctx, svc, island); err != nil {
		return nil, err
	}
	out.Standpoint = island.Standpoint()
	return out, os.WriteFile(mark, []byte(demoVersion+" "+out.Standpoint.String()+"\n"), 0o600)
}

// demoToken writes the demo's token where apps find it.
func (e *env) demoToken(ctx context.Context, db *store.Store) error {
	file := filepath.Join(e.data, "demo.token")
	text, err := os.ReadFile(file)
	token := strings.TrimSpace(string(text))
	if err != nil || token == "" {
		secret := make([]byte, 24)
		rand.Read(secret)
		token = hex.EncodeToString(secret)
		if err := os.WriteFile(file, []byte(token+"\n"), 0o600); err != nil {
			return fmt.Errorf("the demo's token cannot be written: %w", err)
		}
	}
	return db.AddCredential(
		ctx,
		token,
		store.Credential{Workspace: demoWorkspace, Kind: store.Token, Name: "demo token", Scopes: access.AllScopes},
	)
}
