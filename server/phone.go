package server

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/skip2/go-qrcode"

	"viandante/service/fault"
)

// Phone is where devices of the same network reach the server securely.
type Phone struct {
	// URL is https://address:port.
	URL string
	// Authority is the certificate of the authority, in PEM, and Fingerprint its SHA-256.
	Authority   []byte
	Fingerprint string
}

// PairingURL is the link that signs a phone in by an invitation's code; the code is in the fragment, which browsers
// send to nobody.
func (p *Phone) PairingURL(code string) string { return p.URL + "/#pair=" + code }

// phone answers POST /session/phone: a link that signs in on a phone once, and its QR code.
func (s *server) phone(c *echo.Context) error {
	if _, isToken := bearer(c.Request()); isToken {
		return fault.New(fault.Forbidden, "a phone is invited from the page")
	}
	if s.Phone == nil {
		return fault.New(fault.Impossible, "this server serves no phones: start it with --phone, e.g. "+
			"`viandante demo --phone`; it then listens on this network with a certificate of its own")
	}
	code, until, err := s.Gate.Invite(actor(c))
	if err != nil {
		return err
	}
	link := s.Phone.PairingURL(code)
	picture, err := qrSVG(link)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, map[string]any{"url": link, "expires_at": until.UTC().Format(time.RFC3339),
		"fingerprint": s.Phone.Fingerprint, "qr_svg": picture})
}

// authority answers GET /session/authority: the certificate that a phone may be told to trust.
func (s *server) authority(c *echo.Context) error {
	if s.Phone == nil {
		return fault.New(fault.NotFound, "this server serves no phones")
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="viandante.crt"`)
	return c.Blob(http.StatusOK, "application/x-x509-ca-cert", s.Phone.Authority)
}

// qrSVG draws a text as a QR code, dark on light whatever the page's colours are, as readers want it.
func qrSVG(text string) (string, error) {
	q, err := qrcode.New(text, qrcode.Medium)
	if err != nil {
		return "", err
	}
	bits := q.Bitmap()
	var path strings.Builder
	for y, row := range bits {
		for x, dark := range row {
			if dark {
				fmt.Fprintf(&path, "M%d %dh1v1h-1z", x, y)
			}
		}
	}
	n := len(bits)
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" shape-rendering="crispEdges">`+
		`<path fill="#fff" d="M0 0h%dv%dH0z"/><path fill="#000" d="%s"/></svg>`, n, n, n, n, path.String()), nil
}
