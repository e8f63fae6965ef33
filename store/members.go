package store

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"math"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"viandante/core/geo"
	"viandante/core/live"
)

// Member is somebody in a party. Last is what is known of his position, with no time where that is nothing.
type Member struct {
	Workspace, ID, Party uuid.UUID
	Name, Picture        string
	Sharing              bool
	JoinedAt             time.Time
	// Left tells that he is in it no longer.
	Left bool
	Last live.Report
}

// memberRow is a member as the table has it.
type memberRow struct {
	Workspace uuid.UUID  `db:"workspace"`
	ID        uuid.UUID  `db:"id"`
	Party     uuid.UUID  `db:"party"`
	Name      string     `db:"name"`
	Picture   string     `db:"picture"`
	Sharing   bool       `db:"sharing"`
	JoinedAt  time.Time  `db:"joined_at"`
	LeftAt    *time.Time `db:"left_at"`
	Lat       *float64   `db:"lat"`
	Lng       *float64   `db:"lng"`
	Accuracy  *float64   `db:"accuracy_m"`
	Altitude  *float64   `db:"altitude_m"`
	Heading   *float64   `db:"heading_deg"`
	Speed     *float64   `db:"speed_mps"`
	FixedAt   *time.Time `db:"fixed_at"`
}

const memberColumns = `workspace, id, party, name, picture, sharing, joined_at, left_at, lat, lng, accuracy_m, ` +
	`altitude_m, heading_deg, speed_mps, fixed_at`

func number(v *float64) float64 {
	if v == nil {
		return math.NaN()
	}
	return *v
}

// nullable returns nil for what is not a number.
func nullable(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

func (r *memberRow) member() Member {
	m := Member{Workspace: r.Workspace, ID: r.ID, Party: r.Party, Name: r.Name, Picture: r.Picture,
		Sharing: r.Sharing, JoinedAt: r.JoinedAt, Left: r.LeftAt != nil}
	if r.Lat == nil || r.Lng == nil || r.FixedAt == nil {
		return m
	}
	at, err := geo.NewPoint(*r.Lat, *r.Lng)
	if err != nil {
		return m
	}
	m.Last = live.Report{At: at, Time: *r.FixedAt, AccuracyM: number(r.Accuracy), AltitudeM: number(r.Altitude),
		HeadingDeg: number(r.Heading), SpeedMPS: number(r.Speed)}
	return m
}

func (s *Store) members(ctx context.Context, where string, args ...any) ([]Member, error) {
	var rows []memberRow
	if err := s.all(ctx, &rows, `SELECT `+memberColumns+` FROM members WHERE `+where, args...); err != nil {
		return nil, err
	}
	out := make([]Member, len(rows))
	for i := range rows {
		out[i] = rows[i].member()
	}
	return out, nil
}

// Members returns who is in the parties of a workspace.
func (s *Store) Members(ctx context.Context, workspace uuid.UUID) ([]Member, error) {
	return s.members(ctx, `workspace = ? AND left_at IS NULL ORDER BY joined_at, id`, workspace[:])
}

// MembersWritten returns those of all workspaces that other processes than one have written since a time, by the
// database's clock, and what that clock says now.
func (s *Store) MembersWritten(
	ctx context.Context, process uuid.UUID, since time.Time,
) (list []Member, now time.Time, err error) {
	if err = s.get(ctx, &now, `SELECT NOW(6)`); err != nil {
		return nil, now, err
	}
	list, err = s.members(ctx, `stamp >= ? AND process <> ? ORDER BY stamp`, since, process[:])
	return list, now, err
}

// WriteMember makes a member, or gives one another name and picture and another say on whether he shares. One who
// shares no longer has no position any more, and no track.
func (s *Store) WriteMember(ctx context.Context, process uuid.UUID, m Member) error {
	if err := s.hasRoom(); err != nil {
		return err
	}
	return s.exec(ctx, `INSERT INTO members (workspace, id, party, name, picture, sharing, joined_at, process, stamp)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, NOW(6))
		ON DUPLICATE KEY UPDATE party = VALUES(party), name = VALUES(name), picture = VALUES(picture),
			sharing = VALUES(sharing), left_at = NULL, process = VALUES(process), stamp = VALUES(stamp),
			lat = IF(sharing, lat, NULL), lng = IF(sharing, lng, NULL);
		DELETE FROM tracks WHERE workspace = ? AND member = ? AND NOT ?`,
		m.Workspace[:], m.ID[:], m.Party[:], m.Name, m.Picture, m.Sharing, m.JoinedAt, process[:],
		m.Workspace[:], m.ID[:], m.Sharing)
}

// DropMember takes a member out of his party, and forgets where he was.
func (s *Store) DropMember(ctx context.Context, process, workspace, id uuid.UUID) error {
	return s.exec(ctx, `UPDATE members SET left_at = NOW(6), lat = NULL, lng = NULL, sharing = FALSE, process = ?,
			stamp = NOW(6) WHERE workspace = ? AND id = ?;
		DELETE FROM tracks WHERE workspace = ? AND member = ?;
		DELETE FROM credentials WHERE workspace = ? AND scopes LIKE ?`,
		process[:], workspace[:], id[:], workspace[:], id[:], workspace[:], MemberPrefix+id.String()+":%")
}

// reportRow is a position on its way into the database.
type reportRow struct {
	Workspace string   `json:"w"`
	ID        string   `json:"i"`
	Lat       float64  `json:"y"`
	Lng       float64  `json:"x"`
	Accuracy  *float64 `json:"a"`
	Altitude  *float64 `json:"h"`
	Heading   *float64 `json:"d"`
	Speed     *float64 `json:"s"`
	At        string   `json:"t"`
}

const sqlTime = "2006-01-02 15:04:05.000000"

// SavePositions writes the last positions of members who still share theirs, where they are newer than those that are
// there.
func (s *Store) SavePositions(ctx context.Context, process uuid.UUID, list []Member) error {
	if len(list) == 0 {
		return nil
	}
	rows := make([]reportRow, len(list))
	for i, m := range list {
		rows[i] = reportRow{hex.EncodeToString(m.Workspace[:]), hex.EncodeToString(m.ID[:]), m.Last.At.Lat(),
			m.Last.At.Lng(), nullable(m.Last.AccuracyM), nullable(m.Last.AltitudeM), nullable(m.Last.HeadingDeg),
			nullable(m.Last.SpeedMPS), m.Last.Time.UTC().Format(sqlTime)}
	}
	text, err := json.Marshal(rows)
	if err != nil {
		return err
	}
	return s.exec(ctx, `UPDATE members m JOIN JSON_TABLE(?, '$[*]' COLUMNS (
			workspace CHAR(32) PATH '$.w', id CHAR(32) PATH '$.i', lat DOUBLE PATH '$.y', lng DOUBLE PATH '$.x',
			accuracy_m DOUBLE PATH '$.a', altitude_m DOUBLE PATH '$.h', heading_deg DOUBLE PATH '$.d',
			speed_mps DOUBLE PATH '$.s', fixed_at DATETIME(6) PATH '$.t')) r
		ON m.workspace = UNHEX(r.workspace) AND m.id = UNHEX(r.id)
		SET m.lat = r.lat, m.lng = r.lng, m.accuracy_m = r.accuracy_m, m.altitude_m = r.altitude_m,
			m.heading_deg = r.heading_deg, m.speed_mps = r.speed_mps, m.fixed_at = r.fixed_at, m.process = ?,
			m.stamp = NOW(6)
		WHERE m.sharing AND m.left_at IS NULL AND (m.fixed_at IS NULL OR m.lat IS NULL OR m.fixed_at < r.fixed_at)`,
		string(text), process[:])
}

// Trackpoint is a position of a track that is kept until a time.
type Trackpoint struct {
	Workspace, Member uuid.UUID
	Report            live.Report
	Until             time.Time
}

// SaveTracks keeps positions of members who still share theirs; one that is there already is left.
func (s *Store) SaveTracks(ctx context.Context, list []Trackpoint) error {
	const atOnce = 1000
	for len(list) > 0 {
		some := list[:min(len(list), atOnce)]
		list = list[len(some):]
		args := make([]any, 0, 7*len(some))
		for _, p := range some {
			args = append(args, p.Workspace[:], p.Member[:], p.Report.Time.UTC(), p.Report.At.Lat(),
				p.Report.At.Lng(), nullable(p.Report.AltitudeM), p.Until.UTC())
		}
		err := s.exec(ctx, `INSERT IGNORE INTO tracks (workspace, member, fixed_at, lat, lng, altitude_m, until)
			VALUES `+values(len(some), "(?, ?, ?, ?, ?, ?, ?)")+`;
			DELETE t FROM tracks t JOIN members m ON m.workspace = t.workspace AND m.id = t.member
			WHERE NOT m.sharing OR m.left_at IS NOT NULL`, args...)
		if err != nil {
			return err
		}
	}
	return nil
}

// Track returns what is kept of a member's track, from the oldest on.
func (s *Store) Track(ctx context.Context, workspace, member uuid.UUID) ([]live.Report, error) {
	var rows []struct {
		FixedAt  time.Time `db:"fixed_at"`
		Lat      float64   `db:"lat"`
		Lng      float64   `db:"lng"`
		Altitude *float64  `db:"altitude_m"`
	}
	err := s.all(ctx, &rows, `SELECT fixed_at, lat, lng, altitude_m FROM tracks
		WHERE workspace = ? AND member = ? AND until > ? ORDER BY fixed_at`, workspace[:], member[:], s.now().UTC())
	if err != nil {
		return nil, err
	}
	out := make([]live.Report, 0, len(rows))
	for _, r := range rows {
		if at, err := geo.NewPoint(r.Lat, r.Lng); err == nil {
			out = append(out, live.Report{At: at, Time: r.FixedAt, AltitudeM: number(r.Altitude),
				AccuracyM: math.NaN(), HeadingDeg: math.NaN(), SpeedMPS: math.NaN()})
		}
	}
	return out, nil
}

// forgotten is how long it is remembered that somebody has left, so that every process hears of it.
const forgotten = time.Hour

// ForgetTracks deletes what of tracks is to be kept no longer, and who left long ago.
func (s *Store) ForgetTracks(ctx context.Context) error {
	now := s.now().UTC()
	return s.exec(ctx, `DELETE FROM tracks WHERE until <= ?; DELETE FROM members WHERE left_at < ?`, now,
		now.Add(-forgotten))
}

// transact runs f in a transaction, again on a deadlock.
func (s *Store) transact(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	return s.run(ctx, func(ctx context.Context) error {
		return retried(ctx, func() error {
			tx, err := s.db.BeginTxx(ctx, nil)
			if err != nil {
				return err
			}
			if err := f(tx); err != nil {
				_ = tx.Rollback() // the connection goes if that fails
				return err
			}
			return tx.Commit()
		})
	})
}
