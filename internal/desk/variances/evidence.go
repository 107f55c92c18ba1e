package variances

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// EvidenceView is a photo or file that belongs to a line.
type EvidenceView struct {
	ID     int64     `json:"id"`
	Name   string    `json:"name"`
	Sort   string    `json:"sort" enum:"picture,document,text,film"`
	Size   int64     `json:"size"`
	Person string    `json:"person"`
	At     time.Time `json:"at"`
}

// How large a file of evidence is at most, and how many a line has.
const (
	mostEvidence  = 25 << 20
	evidenceFiles = 20
)

// evidenceSort is what a file has to be that is called so.
type evidenceSort struct {
	sort  string
	media []string // what its contents say, of which one has to hold
}

// evidenceSorts are the files that are taken as evidence, by how their names end.
var evidenceSorts = map[string]evidenceSort{
	".jpg": {"picture", []string{"image/jpeg"}}, ".jpeg": {"picture", []string{"image/jpeg"}}, ".png": {"picture", []string{"image/png"}},
	".gif": {"picture", []string{"image/gif"}}, ".webp": {"picture", []string{"image/webp"}}, ".heic": {"picture", []string{heic}},
	".pdf": {"document", []string{"application/pdf"}}, ".xlsx": {"document", []string{"application/zip"}},
	".ods": {"document", []string{"application/zip"}}, ".docx": {"document", []string{"application/zip"}},
	".odt": {"document", []string{"application/zip"}}, ".txt": {"text", []string{"text/plain"}}, ".csv": {"text", []string{"text/plain"}},
	".eml": {"text", []string{"text/plain"}}, ".mp4": {"film", []string{"video/mp4"}}, ".webm": {"film", []string{"video/webm"}},
}

// heic is the form of pictures that telephones take, which the standard library does not know.
const heic = "image/heic"

// mediaOf says what the beginning of a file is, as a media type without parameters.
func mediaOf(head []byte) string {
	if len(head) >= 12 && bytes.Equal(head[4:8], []byte("ftyp")) && slices.Contains([]string{"heic", "heix", "mif1", "heim"}, string(head[8:12])) {
		return heic
	}
	media, _, _ := strings.Cut(http.DetectContentType(head), ";")
	return media
}

// evidenceSortOf tells what a file is by its name and its beginning, or refuses it.
func evidenceSortOf(name string, head []byte) (string, error) {
	ending := strings.ToLower(filepath.Ext(name))
	s, known := evidenceSorts[ending]
	if !known {
		return "", desk.RefuseAs(desk.Invalid, "file", "%q is not taken as evidence: photos (JPEG, PNG, WebP, GIF, HEIC), PDF, text, workbooks, documents, e-mails and short films are.", name)
	}
	if len(head) == 0 {
		return "", desk.RefuseAs(desk.Invalid, "file", "%q is empty. Nothing was kept.", name)
	}
	if media := mediaOf(head); !slices.Contains(s.media, media) {
		return "", desk.RefuseAs(desk.Invalid, "file", "%q is not what its name says: it ends in %s, but is %s inside. Give it the name that it should have, or take another file; nothing was kept.",
			name, ending, media)
	}
	return s.sort, nil
}

// Attach keeps a file as evidence of a line, under its SHA-256 like all files.
func (d *Room) Attach(ctx context.Context, p desk.Person, countID, pos int64, name string, body io.Reader) (id int64, err error) {
	if err := desk.Allow(p, desk.Decide); err != nil {
		return 0, err
	}
	if name = strings.TrimSpace(filepath.Base(strings.ReplaceAll(name, `\`, "/"))); name == "" || name == "." || len(name) > 200 {
		return 0, desk.RefuseAs(desk.Invalid, "file", "A file has a name of up to 200 letters.")
	}
	head := make([]byte, 512)
	n, err := io.ReadFull(body, head)
	if err != nil && err != io.ErrUnexpectedEOF && err != io.EOF {
		return 0, err
	}
	head = head[:n]
	sort, err := evidenceSortOf(name, head)
	if err != nil {
		return 0, err
	}
	f, sha, size, err := d.Store.Receive(io.LimitReader(io.MultiReader(bytes.NewReader(head), body), mostEvidence+1))
	if err != nil {
		return 0, desk.InWords(err)
	}
	defer os.Remove(f.Name()) // what is refused is not kept
	defer f.Close()
	if size > mostEvidence {
		return 0, desk.RefuseAs(desk.Invalid, "file", "%q is larger than 25 MB. Make it smaller, or keep it elsewhere and note where.", name)
	}
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (id int64, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return 0, err
		}
		if _, err := count.LinesAt(w, c, []int64{pos}); err != nil {
			return 0, err
		}
		var has, same int64
		if err := w.Raw("SELECT count(*), coalesce(sum(file_sha = ?), 0) FROM evidence WHERE count_id = ? AND pos = ?", sha, c.ID, pos).
			Row().Scan(&has, &same); err != nil {
			return 0, err
		}
		switch {
		case same > 0:
			return 0, desk.RefuseAs(desk.Invalid, "file", "%s has this very file already.", count.LineName(w.Tx, c, pos))
		case has >= evidenceFiles:
			return 0, desk.RefuseAs(desk.Invalid, "file", "%s has %d files already, and more are not taken.", count.LineName(w.Tx, c, pos), has)
		}
		row := store.Evidence{CountID: c.ID, Pos: pos, FileSha: sha, FileName: name, Sort: sort, Size: size, Person: w.Person.Name, At: w.Now}
		if err := d.Store.KeepFile(f, sha); err != nil {
			return 0, err
		}
		if err := store.RecordFile(w.Tx, sha, size, w.Now); err != nil {
			return 0, err
		}
		if err := w.Create(&row).Error; err != nil {
			return 0, err
		}
		if err := w.Cover("evidence", row.ID, row.ID); err != nil {
			return 0, err
		}
		return row.ID, w.Say("evidence kept", map[string]any{"count": c.ID, "line": pos, "file": name, "sha256": sha})
	})
}

// evidenceOf lists the evidence of a line.
func evidenceOf(tx *gorm.DB, countID, pos int64) ([]EvidenceView, error) {
	var rows []store.Evidence
	err := tx.Where("count_id = ? AND pos = ?", countID, pos).Order("id").Find(&rows).Error
	out := make([]EvidenceView, len(rows))
	for i, r := range rows {
		out[i] = EvidenceView{r.ID, r.FileName, r.Sort, r.Size, r.Person, desk.Instant(r.At)}
	}
	return out, err
}

// Evidence gives a file of evidence, and its media type as its contents say it.
func (d *Room) Evidence(ctx context.Context, p desk.Person, countID, id int64) (name, media string, k *store.KeptFile, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return "", "", nil, err
	}
	var row store.Evidence
	if err := c.Tx.Where("count_id = ? AND id = ?", c.ID, id).Limit(1).Find(&row).Error; err != nil {
		return "", "", nil, err
	}
	if row.ID == 0 {
		return "", "", nil, desk.Missing("The file")
	}
	k, err = d.Kept(row.FileSha)
	return row.FileName, evidenceSorts[strings.ToLower(filepath.Ext(row.FileName))].media[0], k, err
}

// ChooseRound lets one of the rounds of a line stand, whatever the rule of the count says, until a later round comes; round 0 takes that
// back.
func (d *Room) ChooseRound(ctx context.Context, p desk.Person, countID, pos int64, round int) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if _, err := count.LinesAt(w, c, []int64{pos}); err != nil {
			return none, err
		}
		rounds := map[int]bool{}
		last := 0
		err = store.Standing(w.Tx, c.ID, store.Positions{Some: []int64{pos}}, func(e *store.Entry) error {
			if !e.Withdrawn {
				rounds[e.Round], last = true, max(last, e.Round)
			}
			return nil
		})
		if err != nil {
			return none, err
		}
		if round != 0 && !rounds[round] {
			return none, desk.RefuseAs(desk.Invalid, "round", "%s was not counted in that round.", count.LineName(w.Tx, c, pos))
		}
		row := store.RoundChoice{CountID: c.ID, Pos: pos, Round: round, Last: last, Person: w.Person.Name, At: w.Now}
		if err := w.Create(&row).Error; err != nil {
			return none, err
		}
		if err := w.Cover("round_choices", row.ID, row.ID); err != nil {
			return none, err
		}
		if err := count.WorkOut(w, c, []int64{pos}, false); err != nil {
			return none, err
		}
		return none, w.Say("round chosen", map[string]any{"count": c.ID, "line": pos, "round": round})
	})
	return err
}

// KeepStands says which round of a running count's lines stands where they were counted in several.
func (d *Room) KeepStands(ctx context.Context, p desk.Person, countID int64, stands string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		if !variance.Rule(stands).Known() {
			return none, desk.RefuseAs(desk.Invalid, "stands", "The last round stands, two that agree, or the one that is chosen.")
		}
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		before := c.Stands
		if c.Stands = stands; before == stands {
			return none, desk.RefuseAs(desk.Invalid, "stands", "That rule holds already.")
		}
		if err := w.Model(c).Update("stands", stands).Error; err != nil {
			return none, err
		}
		var again []int64 // lines of several rounds alone are others by it
		if err := w.Raw("SELECT pos FROM entries WHERE count_id = ? GROUP BY pos HAVING count(DISTINCT round) > 1", c.ID).Scan(&again).Error; err != nil {
			return none, err
		}
		if len(again) > 0 {
			if err := count.WorkOut(w, c, again, false); err != nil {
				return none, err
			}
		}
		return none, w.Say("rule of rounds", map[string]any{"count": c.ID, "was": before, "stands": stands, "lines": len(again)})
	})
	return err
}
