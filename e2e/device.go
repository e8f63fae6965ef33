package e2e

import (
	"context"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/deviceorientation"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/security"
	"github.com/chromedp/chromedp"
)

// command is an action that sends one command of the DevTools protocol.
func command[P, R any](c cdp.Command[P, R], params P) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, c, params)
		return err
	})
}

// Located makes the browser's receiver report a position; heading and speed are left out where negative.
func (b *Browser) Located(lat, lng, accuracy, heading, speed float64) chromedp.Action[chromedp.Void] {
	p := emulation.SetGeolocationOverrideParams{Latitude: &lat, Longitude: &lng, Accuracy: &accuracy}
	if heading >= 0 {
		p.Heading, p.Speed = &heading, &speed
	}
	return command(emulation.SetGeolocationOverride, p)
}

// Unlocated makes the receiver report that it cannot tell.
func (b *Browser) Unlocated() chromedp.Action[chromedp.Void] {
	return command(emulation.SetGeolocationOverride, emulation.SetGeolocationOverrideParams{})
}

// Permit answers what the browser asks for a page's wish to know the position: granted, denied or prompt.
func (b *Browser) Permit(setting browser.PermissionSetting) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, browser.SetPermission, browser.SetPermissionParams{
			Permission: &browser.PermissionDescriptor{Name: "geolocation"}, Setting: setting,
			BrowserContextID: chromedp.FromContext(b.Ctx).BrowserContextID,
		})
		return err
	})
}

// Turned makes the device lie flat with its upper edge so many degrees counter-clockwise of north.
func (b *Browser) Turned(alpha float64) chromedp.Action[chromedp.Void] {
	return command(deviceorientation.SetDeviceOrientationOverride,
		deviceorientation.SetDeviceOrientationOverrideParams{Alpha: alpha})
}

// TrustAll makes the browser take any certificate.
func (b *Browser) TrustAll() chromedp.Action[chromedp.Void] {
	return command(security.SetIgnoreCertificateErrors, security.SetIgnoreCertificateErrorsParams{Ignore: true})
}
