package service

import (
	"context"

	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// datasetFinder finds datasets.
type datasetFinder interface {
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
}

// visible finds a dataset of which the caller may see as much as is asked for, in the state that the context asks for. One of which he
// may see nothing is answered as one that is not there, whatever the state. Who sees only totals sees those of the newest state: the
// difference of two states would show single records.
func visible(ctx context.Context, st datasetFinder, name string, level access.Level) (*store.Dataset, error) {
	d, err := st.Dataset(store.AsKnown(ctx, store.Asked{}), name)
	if err != nil {
		return nil, err
	}
	if err := check(ctx, d, level); err != nil || !store.InPast(ctx) {
		return d, err
	}
	if levelOf(ctx, d) < access.Records {
		return nil, access.Refusedf("you see only totals of dataset %s, and those as they are known now", name)
	}
	return st.Dataset(ctx, name)
}

// check refuses a dataset of which the caller may see less than is asked for.
func check(ctx context.Context, d *store.Dataset, level access.Level) error {
	switch have := levelOf(ctx, d); {
	case have == access.Nothing:
		return refused.Missing("dataset", d.Name)
	case have < level:
		return access.Refusedf("you see the totals of dataset %s, of at least %d records each, and not its records", d.Name, d.Rules.MinRecords)
	}
	return nil
}

// mayLoad refuses a file for a dataset that the caller may not see, which is nil where there is none yet.
func mayLoad(ctx context.Context, name string, d *store.Dataset) error {
	var rules *access.Rules
	if d != nil {
		rules = d.Rules
	}
	if access.LevelOf(ctx, name, rules) < access.Records {
		return access.Refusedf("you may not load into a dataset named %s", name)
	}
	return nil
}

// ownOrAdministrator refuses what is only for administrators and for who made a thing.
func ownOrAdministrator(ctx context.Context, author, what string) error {
	c := access.From(ctx)
	if c == nil || c.Role == access.Administrator || c.Name == author {
		return nil
	}
	return access.Refusedf("%s is %s's: only they and administrators may do this", what, author)
}

func levelOf(ctx context.Context, d *store.Dataset) access.Level {
	return access.LevelOf(ctx, d.Name, d.Rules)
}

// totalsOnly says of how many records at least the totals are that the caller may see, and of which unit their spans are made;
// 0 and empty where he sees the records.
func totalsOnly(ctx context.Context, d *store.Dataset) (least int, by string) {
	if levelOf(ctx, d) == access.Totals {
		return d.Rules.MinRecords, d.Rules.TotalsBy
	}
	return 0, ""
}
