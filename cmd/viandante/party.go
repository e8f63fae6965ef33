package main

import (
	"context"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/live"
	"viandante/demo"
	"viandante/server"
	"viandante/service"
	"viandante/service/catalog"
	"viandante/standin"
)

var demoParty = demoID("party of the wardens")

// missingWarden is in the party, and has no position yet.
const missingWarden = "Sal Venn"

func memberID(warden string) uuid.UUID { return demoID("member " + warden) }

// plantParty makes the wardens a party, with watches that something happens to, a template of a link that the stand-in
// for another app opens, and somebody to call.
func plantParty(ctx context.Context, svc *service.Service, island *demo.Island) error {
	_, _, err := svc.PutParty(ctx, demoActor, demoParty, service.Party{Name: "Wardens"}, service.Match{New: true})
	if unlessThere(err) != nil {
		return err
	}
	for _, name := range append(wardens[:len(wardens):len(wardens)], missingWarden) {
		_, _, err := svc.PutMember(ctx, demoActor, demoParty, memberID(name), service.MemberDraft{Name: name})
		if err != nil {
			return err
		}
	}
	beats := island.Beats(6)
	middle := beats[0].Line[len(beats[0].Line)/2]
	ground := island.NestingGrounds(9)[0]
	follows := memberID(wardens[4])
	watches := []service.Watch{
		{Name: "Half-way of a beat", Center: &geo.Pair{middle.Lng(), middle.Lat()}, WithinM: 400,
			People: true},
		{Name: "Posts within 500 m of " + wardens[4], Follows: &follows, WithinM: 500, Places: true,
			Collections: []string{"posts"}},
		{Name: "Nobody in the " + ground.Name, Area: pairsOf(ground.Rings), People: true},
	}
	for _, w := range watches {
		_, _, err := svc.PutWatch(ctx, demoActor, demoID("watch "+w.Name), w, service.Match{New: true})
		if unlessThere(err) != nil {
			return err
		}
	}
	contact := service.Emergency{Name: "Harbour post", Telephone: "+999 40 112",
		Note: "Say who you are, where you are as it stands here, and what has happened."}
	_, _, err = svc.PutEmergency(ctx, demoActor, contact, service.Match{New: true})
	return unlessThere(err)
}

func pairsOf(rings [][]geo.Point) (out [][]geo.Pair) {
	for _, ring := range rings {
		var pairs []geo.Pair
		for _, p := range ring {
			pairs = append(pairs, geo.Pair{p.Lng(), p.Lat()})
		}
		out = append(out, pairs)
	}
	return out
}

// plantLink adds the stand-in for another app, under the address that this server has now.
func (e *env) plantLink(ctx context.Context, svc *service.Service) error {
	base, err := e.ownURL()
	if err != nil {
		return err
	}
	id := demoID("stand-in for another app")
	receiver := base + server.ReceiverPath
	body, match := service.LinkTemplate{Name: "Another app (stand-in)"}, service.Match{New: true}
	all, err := svc.LinkTemplates(ctx, demoActor)
	if err != nil {
		return err
	}
	for _, k := range all {
		if k.ID == id {
			body, match = k.Body, service.At(k.Version)
		}
	}
	body.Templates = map[string]string{
		"show":   receiver + "/show{?lat,lng,name,address,zoom,u}",
		"search": receiver + "/search{?text}",
		"route":  receiver + "/route{?lat,lng,name,from_lat,from_lng,mode}",
		"begin":  receiver + "/begin{?lat,lng,name,mode}",
	}
	_, _, err = svc.PutLinkTemplate(ctx, demoActor, id, body, match)
	return err
}

// demoWalkers are the wardens' devices: each walks the beat that is his, one by bicycle, and one is not heard for most
// of the time. Who has no beat walks that of another.
func demoWalkers(beats map[string][]geo.Point) []standin.Walker {
	var out []standin.Walker
	for i, name := range wardens {
		line, own := beats[name]
		for k := 0; !own && k < len(wardens); k++ {
			line, own = beats[wardens[k]]
		}
		w := standin.Walker{ID: memberID(name), Line: line, SpeedMPS: 1.2 + 0.1*float64(i),
			AccuracyM: 5 + 2*float64(i), OffM: 1700 * float64(i)}
		switch i {
		case 4:
			w.SpeedMPS = 4.5
		case 6:
			w.Silent = true
		}
		out = append(out, w)
	}
	return out
}

// walk has the wardens walk their beats, as they are kept, until ctx is done.
func walk(ctx context.Context, svc *service.Service) error {
	rows, _, err := svc.List(ctx, demoActor, catalog.Page{Collection: "beats", Limit: 50})
	if err != nil {
		return err
	}
	beats := map[string][]geo.Point{}
	for _, r := range rows {
		f, err := r.Feature()
		if lines := r.Geometry().Lines(); err == nil && len(lines) == 1 {
			beats[f.Attributes.Get("warden").Text] = lines[0]
		}
	}
	if len(beats) == 0 {
		return nil // somebody has deleted them
	}
	standin.Walk(ctx, demoWalkers(beats), time.Now, func(id uuid.UUID, r live.Report) {
		// Who was taken out of the party, or stopped sharing, reports in vain.
		_, _ = svc.Report(ctx, demoActor, demoParty, id, []live.Report{r})
	})
	return nil
}
