package store_test

import (
	"math"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/live"
	"viandante/core/watch"
	"viandante/store"
	"viandante/store/storetest"
)

func newID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

func TestPositionsAreKeptForThoseWhoShare(t *testing.T) {
	s := storetest.Open(t)
	ws, here, there := workspace(t, s), newID(), newID()
	began := time.Now().UTC().Truncate(time.Millisecond)
	ida := store.Member{Workspace: ws, ID: newID(), Party: newID(), Name: "Ida 'O\\", Sharing: true, JoinedAt: began}
	tam := store.Member{Workspace: ws, ID: newID(), Party: ida.Party, Name: "Tam", JoinedAt: began.Add(time.Second)}
	require.NoError(t, s.WriteMember(ctx, here, ida))
	require.NoError(t, s.WriteMember(ctx, here, tam))
	report := func(m store.Member, lat float64, after time.Duration) store.Member {
		m.Last = live.Report{At: geo.MustPoint(lat, -179.9999999), Time: began.Add(after), AccuracyM: 4.5,
			AltitudeM: math.NaN(), HeadingDeg: 359.9, SpeedMPS: math.NaN()}
		return m
	}
	require.NoError(t, s.SavePositions(ctx, here,
		[]store.Member{report(ida, 1.1234567, 5*time.Second), report(tam, 2, 0)}))
	require.NoError(t, s.SavePositions(ctx, here, []store.Member{report(ida, 9, 2*time.Second)}), "older")
	list, err := s.Members(ctx, ws)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "Ida 'O\\", list[0].Name)
	want := report(ida, 1.1234567, 5*time.Second).Last
	assert.Equal(t, want.At, list[0].Last.At)
	assert.True(t, want.Time.Equal(list[0].Last.Time))
	assert.InDelta(t, 359.9, list[0].Last.HeadingDeg, 0)
	assert.True(t, math.IsNaN(list[0].Last.SpeedMPS))
	assert.False(t, list[1].Last.At.IsValid(), "Tam does not share")

	// Another process hears of all that it has not written itself.
	_, now, err := s.MembersWritten(ctx, there, time.Time{}.AddDate(2000, 0, 0))
	require.NoError(t, err)
	heard, _, err := s.MembersWritten(ctx, there, now.Add(-time.Minute))
	require.NoError(t, err)
	assert.Len(t, heard, 2)
	own, _, err := s.MembersWritten(ctx, here, now.Add(-time.Minute))
	require.NoError(t, err)
	assert.Empty(t, own)

	// Who shares no longer has no position any more, and none comes back by a report that was under way.
	require.NoError(t, s.SaveTracks(ctx, []store.Trackpoint{{ws, ida.ID, want, began.Add(time.Hour)},
		{ws, ida.ID, want, began.Add(time.Hour)}}))
	track, err := s.Track(ctx, ws, ida.ID)
	require.NoError(t, err)
	assert.Len(t, track, 1, "the same twice")
	ida.Sharing = false
	require.NoError(t, s.WriteMember(ctx, here, ida))
	require.NoError(t, s.SavePositions(ctx, here, []store.Member{report(ida, 3, time.Minute)}))
	list, err = s.Members(ctx, ws)
	require.NoError(t, err)
	assert.False(t, list[0].Last.At.IsValid())
	track, err = s.Track(ctx, ws, ida.ID)
	require.NoError(t, err)
	assert.Empty(t, track)
	require.NoError(t, s.SaveTracks(ctx, []store.Trackpoint{{ws, ida.ID, want, began.Add(time.Hour)}}))
	track, err = s.Track(ctx, ws, ida.ID)
	require.NoError(t, err)
	assert.Empty(t, track, "one that was under way")

	require.NoError(t, s.DropMember(ctx, here, ws, tam.ID))
	list, err = s.Members(ctx, ws)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	heard, _, err = s.MembersWritten(ctx, there, now.Add(-time.Minute))
	require.NoError(t, err)
	left := 0
	for _, m := range heard {
		if m.Left {
			left++
		}
	}
	assert.Equal(t, 1, left)
	require.NoError(t, s.ForgetTracks(ctx))
}

func TestOneProcessLooksAtTheWatches(t *testing.T) {
	s := storetest.Open(t)
	ws, first, second := workspace(t, s), newID(), newID()
	got, err := s.KeepLookout(ctx, ws, first, time.Minute)
	require.NoError(t, err)
	assert.True(t, got.New)
	_, err = s.KeepLookout(ctx, ws, second, time.Minute)
	require.ErrorIs(t, err, store.ErrRelieved)
	w, thing := newID(), newID()
	one := func(enters bool) store.Sighting {
		return store.Sighting{Watch: w, Thing: watch.Thing{ID: thing, Group: "wardens", AccuracyM: math.NaN()},
			Name: "Ida", Enters: enters, Why: watch.Moved, DistanceM: 12.5, At: time.Now()}
	}
	held := store.Held{Watch: w, Thing: thing, Of: "wardens"}
	require.NoError(t, s.WriteNoticed(ctx, ws, first, &store.Noticed{Sightings: []store.Sighting{one(true)},
		Begun: map[uuid.UUID][]store.Held{w: nil}, Entered: []store.Held{held}, ChangeNo: 7}))
	inside, err := s.Watched(ctx, ws)
	require.NoError(t, err)
	assert.Equal(t, map[uuid.UUID][]store.Held{w: {held}}, inside)

	require.NoError(t, s.LeaveLookout(ctx, ws, first))
	got, err = s.KeepLookout(ctx, ws, second, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, store.Lookout{No: 1, ChangeNo: 7}, got)
	err = s.WriteNoticed(ctx, ws, first, &store.Noticed{Sightings: []store.Sighting{one(false)}})
	require.ErrorIs(t, err, store.ErrRelieved, "who was relieved writes nothing")
	require.NoError(t, s.WriteNoticed(ctx, ws, second, &store.Noticed{
		Sightings: []store.Sighting{one(false), one(true), one(false)}, Left: []store.Held{held}, ChangeNo: 9}))
	inside, err = s.Watched(ctx, ws)
	require.NoError(t, err)
	assert.Empty(t, inside)
	events, err := s.Sightings(ctx, ws, 1, w, 2)
	require.NoError(t, err)
	require.Len(t, events, 2)
	assert.Equal(t, []uint64{2, 3}, []uint64{events[0].No, events[1].No})
	assert.InDelta(t, 12.5, events[0].DistanceM, 0)
	last, err := s.LastSightings(ctx, ws, uuid.Nil, 1)
	require.NoError(t, err)
	assert.Equal(t, uint64(4), last[0].No)
	require.NoError(t, s.ForgetSightings(ctx, time.Now().Add(time.Hour)))
	from, to, err := s.SightingNos(ctx, ws)
	require.NoError(t, err)
	assert.Equal(t, []uint64{0, 4}, []uint64{from, to})
}
