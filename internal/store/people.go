package store

import "gorm.io/gorm"

// People gives everybody who signs in, in the order in which they came.
func People(tx *gorm.DB) (rows []Person, err error) {
	err = tx.Order("id").Find(&rows).Error
	return rows, err
}

// Staff gives everybody who signs in by name, those who are suspended last.
func Staff(tx *gorm.DB) (rows []Person, err error) {
	err = tx.Order("suspended, name").Find(&rows).Error
	return rows, err
}

// PersonOf gives the person of a number, with the number 0 where there is none.
func PersonOf(tx *gorm.DB, id int64) (row Person, err error) {
	err = tx.Limit(1).Find(&row, id).Error
	return row, err
}

// PersonBySignIn gives the person of a sign-in name, with the number 0 where there is none.
func PersonBySignIn(tx *gorm.DB, signIn string) (row Person, err error) {
	err = tx.Where("sign_in = ?", signIn).Limit(1).Find(&row).Error
	return row, err
}

// AddPerson adds somebody, and gives the row its number.
func AddPerson(tx *gorm.DB, row *Person) error { return tx.Create(row).Error }

// SavePerson writes what was changed of somebody.
func SavePerson(tx *gorm.DB, row *Person) error { return tx.Save(row).Error }

// ReplaceSecret gives somebody another secret in the place of the one that was seen; done is false where another stands by now.
func ReplaceSecret(tx *gorm.DB, row *Person, secret string) (done bool, err error) {
	r := tx.Model(row).Where("secret = ?", row.Secret).UpdateColumn("secret", secret)
	return r.RowsAffected == 1, r.Error
}

// Owners is how many owners there are who are let in.
func Owners(tx *gorm.DB) (n int64, err error) {
	err = tx.Model(&Person{}).Where("owner = 1 AND suspended = 0").Count(&n).Error
	return n, err
}

// SessionsOf is how many sessions of somebody have not ended by a time.
func SessionsOf(tx *gorm.DB, person, now int64) (n int, err error) {
	err = tx.Raw("SELECT count(*) FROM sessions WHERE person_id = ? AND expiry > ?", person, now).Scan(&n).Error
	return n, err
}

// EndSessions ends all sessions of somebody, and tells how many.
func EndSessions(tx *gorm.DB, person int64) (n int64, err error) {
	r := tx.Exec("DELETE FROM sessions WHERE person_id = ?", person)
	return r.RowsAffected, r.Error
}

// open are invitations that were neither used nor ended.
const open = "used_at = 0 AND gone_at = 0"

// OpenInvitations gives the latest invitations that were neither used nor ended.
func OpenInvitations(tx *gorm.DB, most int) (rows []Invitation, err error) {
	err = tx.Where(open).Order("id DESC").Limit(most).Find(&rows).Error
	return rows, err
}

// InvitationBy gives the invitation whose code has a hash, with the number 0 where there is none.
func InvitationBy(tx *gorm.DB, hash string) (row Invitation, err error) {
	err = tx.Where("hash = ?", hash).Limit(1).Find(&row).Error
	return row, err
}

// AddInvitation adds an invitation, and gives the row its number.
func AddInvitation(tx *gorm.DB, row *Invitation) error { return tx.Create(row).Error }

// UseInvitation notes that an invitation was used.
func UseInvitation(tx *gorm.DB, id, now int64) error {
	return tx.Model(&Invitation{}).Where("id = ?", id).UpdateColumn("used_at", now).Error
}

// EndInvitation lets an open invitation hold no more; n is 0 where it is none.
func EndInvitation(tx *gorm.DB, id, now int64) (n int64, err error) {
	return endInvitations(tx, "id", id, now)
}

// EndInvitationsFor lets open invitations by which somebody takes a new password hold no more, and tells how many.
func EndInvitationsFor(tx *gorm.DB, person, now int64) (n int64, err error) {
	return endInvitations(tx, "person_id", person, now)
}

// EndInvitationsBy lets open invitations that somebody made hold no more, and tells how many.
func EndInvitationsBy(tx *gorm.DB, person, now int64) (n int64, err error) {
	return endInvitations(tx, "by_person_id", person, now)
}

func endInvitations(tx *gorm.DB, column string, is, now int64) (n int64, err error) {
	r := tx.Model(&Invitation{}).Where(open).Where(column+" = ?", is).UpdateColumn("gone_at", now)
	return r.RowsAffected, r.Error
}
