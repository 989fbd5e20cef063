package api

import (
	"context"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/sight"
)

func (f *failing) EndOtherSessions(context.Context, int64, int64) (int64, error) { return 0, f.err }
func (f *failing) EndSession(context.Context, int64, int64) error                { return f.err }
func (f *failing) FindIn(context.Context, string, int64, string) (*accounts.Person, error) {
	return nil, f.err
}
func (f *failing) InTeam(context.Context, int64, int64) (bool, error)            { return false, f.err }
func (f *failing) Members(context.Context, int64) ([]accounts.Membership, error) { return nil, f.err }
func (f *failing) MergePeople(context.Context, *accounts.Person, *accounts.Person) error {
	return f.err
}
func (f *failing) RoleIn(context.Context, int64, int64) (access.Role, error) {
	return access.None, f.err
}
func (f *failing) RoleOf(context.Context, *accounts.Person, int64) (access.Role, error) {
	return access.None, f.err
}
func (f *failing) RolesOf(context.Context, int64) (map[string]access.Role, access.Role, error) {
	return nil, access.None, f.err
}
func (f *failing) RolesOfAll(context.Context, sight.Sight) (map[int64]map[string]access.Role, error) {
	return nil, f.err
}
func (f *failing) Rotate(context.Context, *accounts.Grant) (string, error) { return "", nil }
func (f *failing) RotateToken(context.Context, int64, time.Duration, accounts.TokensOf) (*accounts.Rotated, error) {
	return nil, f.err
}
func (f *failing) Seen(context.Context, []string, sight.Sight) (map[string]bool, error) {
	return nil, f.err
}
func (f *failing) SessionsOf(context.Context, int64) ([]accounts.SessionRow, error) {
	return nil, f.err
}
func (f *failing) SetOperator(context.Context, *accounts.Person, bool) error { return f.err }
func (f *failing) SetRole(context.Context, *accounts.Person, accounts.NewRole) error {
	return f.err
}
func (f *failing) TokenWithin(context.Context, int64, int64) (bool, error) { return true, nil }
