package service

import (
	"context"

	"vastspan/internal/access"
	"vastspan/internal/store"
)

// A DatasetSize is a dataset with how much it takes, in bytes.
type DatasetSize struct {
	Dataset
	store.Size
}

// A ScheduleState is a schedule with its last run; without a receipt it has not created any.
type ScheduleState struct {
	store.Schedule
	Last store.LastRun
}

// A State is how the service is.
type State struct {
	Datasets      []DatasetSize
	DatabaseBytes int64
	Schedules     []ScheduleState
}

// State describes how the service is, for its administrators.
func (s *Service) State(ctx context.Context) (*State, error) {
	sets, err := s.Datasets.All(ctx)
	if err != nil {
		return nil, err
	}
	sizes, whole, err := s.store.Sizes(ctx)
	if err != nil {
		return nil, err
	}
	state := &State{DatabaseBytes: whole}
	for i := range sets {
		if levelOf(ctx, &sets[i]) < access.Records {
			continue // the key is for other datasets
		}
		held, err := s.Datasets.holding(ctx, &sets[i])
		if err != nil {
			return nil, err
		}
		state.Datasets = append(state.Datasets, DatasetSize{*held, sizes[sets[i].ID]})
	}
	schedules, err := s.store.Schedules(ctx)
	if err != nil {
		return nil, err
	}
	runs, err := s.store.LastRuns(ctx)
	if err != nil {
		return nil, err
	}
	for _, sc := range schedules {
		state.Schedules = append(state.Schedules, ScheduleState{sc, runs[sc.Name]})
	}
	return state, nil
}
