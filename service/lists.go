package service

import (
	"context"

	"github.com/google/uuid"

	"viandante/service/catalog"
)

// List returns a page of a collection by the ids of its features, and the id to go on after, or the nil id at the end.
func (v *Service) List(ctx context.Context, a Actor, q catalog.Page) ([]catalog.Row, uuid.UUID, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, uuid.Nil, err
	}
	limit := q.Limit
	q.Limit++
	rows := s.Page(view, q)
	if len(rows) <= limit {
		return rows, uuid.Nil, nil
	}
	return rows[:limit], rows[limit-1].ID(), nil
}

// Rows returns a part of a list, and how long the whole of it is.
func (v *Service) Rows(ctx context.Context, a Actor, q catalog.List) ([]catalog.Row, int, error) {
	if err := a.MayRead(); err != nil {
		return nil, 0, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, 0, err
	}
	rows, total := h.catalog.List(view(a), q)
	return rows, total, nil
}

// Counts returns how many features each collection has.
func (v *Service) Counts(ctx context.Context, a Actor) (map[string]int, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Counts(view), nil
}
