// Command pictures takes the pictures of docs/screenshots from a running demo: go run ./e2e/pictures
package main

import (
	"context"
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"viandante/e2e"
)

// picture is a view of the demo: where it is, on what screen, and what is done before the shutter.
type picture struct {
	name   string
	path   string
	width  int
	height int
	night  bool
	phone  bool
	do     chromedp.Action[chromedp.Void]
}

const square = "-38.1140,-26.2799"

var around = "/around?v=" + square + ",14&from=" + square + "&fromName=the+town%27s+square&ring=300-1500"

var journey = "/journey?from=" + square + "&fromName=the+town%27s+square&to=-38.1150455,-26.3005818&" +
	"toName=Anchor+Road+9,+4100+Varrowby&by=bicycle"

// underWay is a rehearsed journey, halted after five minutes; its rehearsal has the same id in every demo.
const underWay = "/journey?v=" + square + ",16.5&from=-38.1139663,-26.2798827&to=-38.1270056,-26.2849448" +
	"&toName=Acorn+Pump&by=foot&rehearsal=fcd84de5-e4ba-5c78-b357-06f81b00c4ea&second=300&under=way"

// nearSomebody is a watch that follows a warden.
const nearSomebody = "09caa29a-4a41-5fc2-91fb-ed4e873ab83d"

var pictures = []picture{
	{name: "island", path: "/around", width: 1280, height: 800},
	{name: "around", path: around, width: 1280, height: 800},
	{
		name:   "list",
		path:   "/places?sort=-inspected_on&in=posts",
		width:  1280,
		height: 800,
		do: chromedp.Steps(
			chromedp.WaitVisible(e2e.At("list-rows")+" [data-row=\"6\"]"),
			chromedp.Click(
				e2e.At("list-rows")+" [data-row=\"2\"] input",
			),
			chromedp.Click(e2e.At("list-rows")+" [data-row=\"4\"] input"),
			chromedp.Click(e2e.At("list-rows")+" [data-row=\"5\"] input"),
		),
	},
	{
		name:   "place",
		path:   around,
		width:  1280,
		height: 800,
		do: chromedp.Steps(
			chromedp.WaitVisible(e2e.At("nearby")),
			chromedp.Click(e2e.At("nearby")+" li:nth-child(1) button"),
			chromedp.WaitVisible(e2e.At("more")),
			chromedp.Click(e2e.At("more")),
			chromedp.WaitVisible(e2e.At("history-open")),
			chromedp.Click(e2e.At("history-open")),
		),
	},
	{name: "wire", path: journey, width: 1280, height: 800, do: chromedp.Steps(
		chromedp.Click(e2e.At("wire")),
		e2e.Run(`[...document.querySelectorAll('ol button')].find(b => b.innerText.includes('/v1/route?')).click()`),
		chromedp.Click(e2e.At("wire-code")), chromedp.Sleep(time.Second))},
	{
		name:   "line",
		path:   around,
		width:  1280,
		height: 800,
		do: chromedp.Steps(
			chromedp.SendKeys(e2e.At("line"), "lantren wy 7"),
			chromedp.WaitVisible(e2e.At("readings")),
		),
	},
	{
		name:   "phone",
		path:   around,
		width:  390,
		height: 844,
		phone:  true,
		do: chromedp.Steps(
			chromedp.WaitVisible(e2e.At("nearby")),
			chromedp.Click(e2e.At("nearby")+" li:nth-child(2) button"),
		),
	},
	{name: "phone-night", path: underWay, width: 390, height: 844, phone: true, night: true},
	{name: "journey", path: underWay, width: 1280, height: 800, do: chromedp.Steps(
		chromedp.WaitVisible(e2e.At("road-book")), chromedp.KeyEvent("i"))},
	{name: "party", path: "/party?from=" + square + "&fromName=the+town%27s+square", width: 1280, height: 800,
		do: chromedp.Steps(chromedp.WaitVisible(e2e.At("people")+" [data-row]"),
			chromedp.Click(e2e.At("show-everybody")),
			chromedp.Sleep(2*time.Second))},
	{name: "watches", path: "/party/watches?watch=" + nearSomebody, width: 1280, height: 800,
		do: chromedp.Steps(chromedp.WaitVisible(e2e.At("watch-acts")), chromedp.Click(e2e.At("watch-acts")+" button"),
			chromedp.Sleep(2*time.Second))},
	{name: "round", path: strings.Replace(around, "/around?", "/around/round?", 1), width: 1280, height: 800,
		do: chromedp.Steps(chromedp.WaitVisible(e2e.At("round-view")), chromedp.Sleep(time.Second))},
	{name: "finder", path: around, width: 390, height: 844, phone: true, do: chromedp.Steps(
		chromedp.WaitVisible(e2e.At("nearby")), chromedp.Click(e2e.At("nearby")+" li:nth-child(4) button"),
		e2e.Run(receiver), chromedp.Click(e2e.At("find-place")), chromedp.Click(e2e.At("finder-device")),
		chromedp.Sleep(time.Second), e2e.Run(pointing), chromedp.Sleep(2*time.Second))},
	{name: "proof", path: strings.Replace(around, "/around?", "/proof/numbers?", 1), width: 1280, height: 800,
		do: chromedp.Steps(chromedp.WaitVisible(e2e.At("proof-example")), chromedp.Sleep(time.Second),
			chromedp.Click(e2e.At("proof-example")), chromedp.WaitVisible(e2e.At("findings")),
			chromedp.Sleep(time.Second))},
	{name: "files", path: "/places/files", width: 1280, height: 800, do: chromedp.Steps(
		e2e.Run(dropped), chromedp.WaitVisible(e2e.At("file-rows")))},
	{name: "addresses", path: "/places/addresses?v=" + square + ",13", width: 1280, height: 800, do: chromedp.Steps(
		chromedp.WaitVisible(e2e.At("paste-addresses")), chromedp.Click(e2e.At("paste-addresses")),
		chromedp.WaitVisible(e2e.At("address-lines")), chromedp.SendKeys(e2e.At("address-lines"), pastedAddresses),
		chromedp.Click(e2e.At("take-lines")), chromedp.WaitVisible(e2e.At("accept")), chromedp.Sleep(3*time.Second))},
	{name: "publish", path: "/publish/picture?v=" + square + ",13", width: 1280, height: 800, do: chromedp.Steps(
		pick("scene-what", "collection"), pick("scene-collection", "posts"), chromedp.Sleep(2*time.Second))},
	{name: "embed", path: foreign, width: 1280, height: 800},
	{name: "reference", path: "/docs/filter", width: 1280, height: 800, do: chromedp.Steps(
		chromedp.Click(chromedp.CSS("form.try button")), chromedp.Sleep(time.Second))},
}

// pastedAddresses are some that are sure and some that are not.
const pastedAddresses = "Pewter Way 7\nGreat Harbour Street 5, 4100 Varrowby\nMill Lane 3, Quillmere\n" +
	"Ms Ida Penn, Island Road 4, 4100 Varrowby\nIsland Road 9999, Skerrow\nNowhere Crescent 12, Farland"

// foreign is the page of somebody else, in which the map stands as an embed.
const foreign = "foreign"

func pick(field, value string) chromedp.Action[chromedp.Void] {
	return chromedp.Steps(chromedp.WaitVisible(e2e.At(field)), e2e.Run(fmt.Sprintf(
		`{const e = document.querySelector('[data-test="%s"]'); e.value = '%s'; e.dispatchEvent(new Event('change'))}`,
		field, value)))
}

// receiver and pointing are a device: where it is, and that it points north-east for a second.
const (
	receiver = `(() => {
		const g = navigator.geolocation
		g.watchPosition = (ok) => {
			setTimeout(() => ok({ coords: { latitude: -38.114, longitude: -26.2799, accuracy: 6, altitude: null,
				altitudeAccuracy: null, heading: null, speed: null }, timestamp: Date.now() }), 300)
			return 7
		}
		g.clearWatch = () => {}
	})()`
	pointing = `(async () => {
		document.querySelector('[data-test=device-yes]')?.click()
		for (let i = 0; i < 60; i++) {
			dispatchEvent(new DeviceOrientationEvent('deviceorientationabsolute', { alpha: 320, beta: 0, gamma: 0,
				absolute: true }))
			await new Promise((r) => setTimeout(r, 15))
		}
	})()`
)

// dropped drops a spreadsheet with titles of its own, commas for points and rows that cannot be taken.
const dropped = `{
	const text = 'Nr;Bezeichnung;Breite;Länge;Art;Plätze\nS01;"Rest ""Höhen"" am Kamm";-38,1402;-26,0517;shelter;12\n' +
		'S02;Quelle unter der Mühle;-38,1511;-26,0633;fountain;\nS03;Rastplatz Nord;-26,0701;-138,13;shelter;4\n' +
		'S04;Ohne Stelle;;;shelter;2\nS05;Zu weit;-98,1;-26,05;fountain;1\n' +
		'S06;Unterer Steg;-38,1333;-26,0444;shelter;3\n'
	const d = new DataTransfer()
	d.items.add(new File([text], 'Rastplätze 2026.csv'))
	window.dispatchEvent(new DragEvent('drop', {dataTransfer: d, bubbles: true, cancelable: true}))
}`

func main() {
	base := flag.String("url", "http://127.0.0.1:8080", "the running demo")
	dir := flag.String("dir", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "names of pictures, separated by commas; all without it")
	path := flag.String("path", "", "take one picture of this path instead")
	size := flag.String("size", "1280x800", "its size")
	steps := flag.String(
		"do",
		"",
		"what is done before the shutter: names of what is clicked, and keys as =K, separated by spaces",
	)
	night := flag.Bool("night", false, "take it by night")
	flag.Parse()
	list := pictures
	if *path != "" {
		p := picture{name: *only, path: *path, night: *night}
		if _, err := fmt.Sscanf(*size, "%dx%d", &p.width, &p.height); err != nil {
			fmt.Fprintln(os.Stderr, "-size is WIDTHxHEIGHT")
			os.Exit(2)
		}
		for _, s := range strings.Fields(*steps) {
			act := chromedp.Click(e2e.At(s))
			if key, ok := strings.CutPrefix(s, "="); ok {
				act = chromedp.KeyEvent(key)
			}
			if p.do == nil {
				p.do = chromedp.Steps()
			}
			p.do = chromedp.Steps(p.do, act, chromedp.Sleep(600*time.Millisecond))
		}
		list, *only = []picture{p}, ""
	}
	if err := take(*base, *dir, *only, list); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func take(base, dir, only string, list []picture) error {
	b, stop, err := e2e.NewBrowser(context.Background(), 1280, 800)
	if err != nil {
		return err
	}
	defer stop()
	const enter = `fetch('/session', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: ` +
		`'{}'}).then(r => r.status)`
	if err := chromedp.Do(b.Ctx, chromedp.Navigate(base)); err != nil {
		return err
	}
	if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](enter, chromedp.EvalAwaitPromise)); err != nil {
		return err
	}
	shop, err := openShop(b, base)
	if err != nil {
		return err
	}
	defer shop.Close()
	for _, p := range list {
		if only != "" && !strings.Contains(","+only+",", ","+p.name+",") {
			continue
		}
		do := p.do
		if do == nil {
			do = chromedp.Steps()
		}
		page, drawn := chromedp.Navigate(base+p.path), e2e.MapDrawn()
		switch {
		case p.path == foreign:
			page, drawn = chromedp.Navigate(shop.URL), chromedp.Sleep(3*time.Second)
		case strings.HasPrefix(p.path, "/docs"):
			drawn = chromedp.Sleep(500 * time.Millisecond)
		}
		if err := chromedp.Do(b.Ctx, b.Size(p.width, p.height, p.phone), b.Night(p.night), page, drawn, do,
			chromedp.Sleep(1500*time.Millisecond), drawn); err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		if err := b.Shot(filepath.Join(dir, p.name+".png")); err != nil {
			return err
		}
		for _, c := range b.Complaints() {
			fmt.Println(p.name, "console:", c)
		}
	}
	return nil
}

//go:embed shop.html
var shopPage string

// openShop serves a page of another origin, with an embed whose token is made for it in the signed-in page.
func openShop(b *e2e.Browser, base string) (*httptest.Server, error) {
	var token struct {
		Secret string
		Token  struct{ ID string }
	}
	shop := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, strings.NewReplacer("BASE", base, "KEY", token.Secret, "ID",
			token.Token.ID).Replace(shopPage))
	}))
	ask := fmt.Sprintf(`fetch('/v1/tokens', {method: 'POST', headers: {'Content-Type': 'application/json'},
		body: JSON.stringify({name: 'Harbour rooms', scopes: ['publish'], collections: ['posts'], origins: ['%s']})})
		.then(r => r.text())`, shop.URL)
	made, err := chromedp.Run(b.Ctx, chromedp.Evaluate[string](ask, chromedp.EvalAwaitPromise))
	if err == nil {
		err = json.Unmarshal([]byte(made), &token)
	}
	if err != nil {
		shop.Close()
		return nil, err
	}
	return shop, nil
}
