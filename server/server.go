// Package server speaks HTTP for the service: routes, decoding, problem details, sign-in. openapi.yaml is the truth
// about what it says; it does nothing that the service could do.
package server

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"golang.org/x/sync/semaphore"
	"gopkg.in/yaml.v3"

	"viandante/service"
	"viandante/service/access"
)

//go:embed openapi.yaml
var openAPI []byte

// Demo is what a demo installation lets in without a token.
type Demo struct {
	access.Demo
	// StandIn is the simulated source of imagery that the demo draws.
	StandIn http.Handler
}

// StandInPath is where the demo's source of imagery is served.
const StandInPath = "/stand-in/imagery"

// Config is what a server needs.
type Config struct {
	Service *service.Service
	// Gate lets in whoever has a credential.
	Gate *access.Gate
	// Page is the built user interface.
	Page fs.FS
	// Hosts are the names under which the server may be asked besides loopback's.
	Hosts []string
	Demo  *Demo
	// Receiver stands in for other apps that onward links open.
	Receiver http.Handler
	// Phone is where phones are served, nil where they are not.
	Phone *Phone
	Log   *slog.Logger
	Now   func() time.Time
}

type server struct {
	Config
	spec    []byte
	closing context.Context
	metrics *metrics
	routes  echo.Routes
	// document and operations are what the OpenAPI document says.
	document   *spec
	operations []described
	docs       *docs
	bodies     *semaphore.Weighted
}

// New returns the handler. Streams end when ctx is done.
func New(ctx context.Context, c Config) (http.Handler, error) {
	spec, err := specJSON()
	if err != nil {
		return nil, err
	}
	s := &server{Config: c, spec: spec, closing: ctx, bodies: semaphore.NewWeighted(largeBodies)}
	if s.document, s.operations, err = readSpec(spec); err != nil {
		return nil, err
	}
	if s.docs, err = newDocs(s.document, s.operations, c.Page); err != nil {
		return nil, err
	}
	s.metrics = s.newMetrics()
	c.Service.OnToken(c.Gate.Forget)
	e := echo.NewWithConfig(echo.Config{Router: echo.NewRouter(echo.RouterConfig{AutoHandleHEAD: true}),
		Logger: c.Log, HTTPErrorHandler: s.problem})
	e.Use(s.identify, bounded, s.measured, s.recovered, s.checkHost, preflight)
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{MinLength: 1024, Skipper: func(c *echo.Context) bool {
		p := c.Request().URL.Path
		return strings.HasPrefix(p, "/v1/tiles/") || strings.HasSuffix(p, ".png") || p == "/v1/changes" ||
			p == "/v1/watches/events" ||
			strings.HasSuffix(p, "/stream")
	}}))
	e.GET(
		"/healthz",
		func(c *echo.Context) error { return c.JSON(http.StatusOK, map[string]string{"status": "alive"}) },
	)
	e.GET("/readyz", s.readyz)
	e.GET("/openapi.json", func(c *echo.Context) error { return c.JSONBlob(http.StatusOK, s.spec) })
	e.GET("/metrics", s.serveMetrics)
	e.GET("/embed", s.embed)
	e.GET("/docs", s.serveDocs)
	e.GET("/docs/:page", s.serveDocs)
	e.GET("/docs/reference/:page", s.serveDocs)
	e.GET("/session", s.session)
	e.POST("/session", s.signIn)
	e.DELETE("/session", s.signOut)
	e.POST("/session/phone", s.phone, s.authenticate)
	e.GET("/session/authority", s.authority)
	e.POST("/session/party", s.join)

	v1 := e.Group("/v1", s.authenticate, s.numbered)
	v1.GET("/measure", s.measure)
	v1.POST("/measure", s.measurePairs)
	v1.GET("/destination", s.destination)
	v1.GET("/nearby", s.nearby)
	v1.POST("/nearby", s.nearbyGeometry)
	v1.GET("/contains", s.contains)
	v1.GET("/served", s.served)
	v1.POST("/proof", s.prove)
	v1.GET("/proof/points", s.proofPoints)
	v1.GET("/proof/steps", s.proofSteps)
	v1.GET("/proof/formulas", s.proofFormulas)
	s.wayCalls(v1)
	v1.GET("/collections", s.collections)
	v1.GET("/collections/:collection", s.collection)
	v1.PUT("/collections/:collection", s.putCollection)
	v1.DELETE("/collections/:collection", s.deleteCollection)
	v1.GET("/categories", s.categories)
	v1.GET("/categories/:category", s.category)
	v1.PUT("/categories/:category", s.putCategory)
	v1.DELETE("/categories/:category", s.deleteCategory)
	v1.GET("/collections/:collection/history/:id", s.history)
	v1.GET("/bin", s.bin)
	v1.GET("/features", s.list)
	v1.POST("/bulk", s.bulk)
	v1.POST("/shape", s.shape)
	v1.GET("/doubts", s.doubts)
	v1.GET("/regions", s.regions)
	v1.GET("/tiles/:version/:z/:x/:y", s.tile)
	v1.GET("/tiles/:version/:z/:x/:y/heights", s.heights)
	v1.GET("/changes", s.changes)
	v1.GET("/places/tiles/:z/:x/:y", s.marks)
	v1.GET("/building", s.building)
	s.viewCalls(v1)
	s.rehearsalCalls(v1)
	s.partyCalls(v1)
	s.watchCalls(v1)
	s.emergencyCalls(v1)
	s.linkCalls(v1)
	s.importCalls(v1)
	s.geocodeCalls(v1)
	s.tokenCalls(v1)
	s.publishCalls(v1)
	v1.POST("/code", s.code)

	ogc := e.Group("/ogc", s.authenticate, s.numbered)
	ogc.GET("", s.landing)
	ogc.GET("/conformance", s.conformance)
	ogc.GET("/collections", s.ogcCollections)
	ogc.GET("/collections/:collection", s.ogcCollection)
	ogc.GET("/collections/:collection/items", s.items)
	ogc.POST("/collections/:collection/items", s.createItem)
	ogc.GET("/collections/:collection/items/:id", s.item)
	ogc.PUT("/collections/:collection/items/:id", s.putItem)
	ogc.PATCH("/collections/:collection/items/:id", s.patchItem)
	ogc.DELETE("/collections/:collection/items/:id", s.deleteItem)

	if c.Demo != nil && c.Demo.StandIn != nil {
		e.GET(StandInPath+"/*", echo.WrapHandler(http.StripPrefix(StandInPath, c.Demo.StandIn)))
	}
	if c.Receiver != nil {
		e.GET(ReceiverPath, echo.WrapHandler(c.Receiver))
		e.GET(ReceiverPath+"/*", echo.WrapHandler(c.Receiver))
	}
	s.routes = e.Router().Routes()
	e.GET("/*", s.page)
	return e, nil
}

// specJSON turns the YAML, which people write, into the JSON that is served.
func specJSON() ([]byte, error) {
	var doc any
	if err := yaml.Unmarshal(openAPI, &doc); err != nil {
		return nil, fmt.Errorf("openapi.yaml: %w", err)
	}
	return json.Marshal(doc)
}

func (s *server) readyz(c *echo.Context) error {
	if err := s.Service.Ready(c.Request().Context()); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"status": "ready"})
}
