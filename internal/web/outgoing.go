package web

import (
	"bytes"
	"context"

	"examen/internal/course"
	"examen/internal/web/contract"
)

// The calls about what goes out to other programs: calendars and webhooks.

func (s *server) GetCalendar(
	ctx context.Context, _ contract.GetCalendarRequestObject,
) (contract.GetCalendarResponseObject, error) {
	made, err := course.Calendars{Courses: s.Courses}.Made(ctx, who(ctx))
	return contract.GetCalendar200JSONResponse{Made: orZero(made)}, err
}

func (s *server) MakeCalendar(
	ctx context.Context, _ contract.MakeCalendarRequestObject,
) (contract.MakeCalendarResponseObject, error) {
	secret, made, err := course.Calendars{Courses: s.Courses}.Make(ctx, who(ctx))
	return contract.MakeCalendar201JSONResponse{Path: "/api/calendars/" + secret + ".ics", Made: made}, err
}

func (s *server) RemoveCalendar(
	ctx context.Context, _ contract.RemoveCalendarRequestObject,
) (contract.RemoveCalendarResponseObject, error) {
	return contract.RemoveCalendar204Response{}, course.Calendars{Courses: s.Courses}.Remove(ctx, who(ctx))
}

func (s *server) ReadCalendar(
	ctx context.Context, request contract.ReadCalendarRequestObject,
) (contract.ReadCalendarResponseObject, error) {
	text, err := course.Calendars{Courses: s.Courses}.Read(ctx, request.Secret)
	if err != nil {
		return nil, err
	}
	return contract.ReadCalendar200TextcalendarResponse{
		Body: bytes.NewReader(text), ContentLength: int64(len(text)),
	}, nil
}

func (s *server) ListWebhooks(
	ctx context.Context, request contract.ListWebhooksRequestObject,
) (contract.ListWebhooksResponseObject, error) {
	all, err := course.Webhooks{Courses: s.Courses}.List(ctx, who(ctx), request.Course)
	out := contract.ListWebhooks200JSONResponse{}
	for _, w := range all {
		out = append(out, toWebhook(w))
	}
	return out, err
}

func toWebhook(w course.Webhook) contract.Webhook {
	return contract.Webhook{Id: w.ID, Url: w.URL, By: w.By, At: w.At, Waiting: w.Waiting, Failed: w.Failed}
}

func (s *server) AddWebhook(
	ctx context.Context, request contract.AddWebhookRequestObject,
) (contract.AddWebhookResponseObject, error) {
	made, secret, err := course.Webhooks{Courses: s.Courses}.Add(ctx, who(ctx), request.Course, request.Body.Url)
	if err != nil {
		return nil, err
	}
	out := toWebhook(*made)
	out.Secret = secret
	return contract.AddWebhook201JSONResponse(out), nil
}

func (s *server) RemoveWebhook(
	ctx context.Context, request contract.RemoveWebhookRequestObject,
) (contract.RemoveWebhookResponseObject, error) {
	err := course.Webhooks{Courses: s.Courses}.Remove(ctx, who(ctx), request.Course, request.Webhook)
	return contract.RemoveWebhook204Response{}, err
}

func (s *server) ListDeliveries(
	ctx context.Context, request contract.ListDeliveriesRequestObject,
) (contract.ListDeliveriesResponseObject, error) {
	page, err := course.Webhooks{Courses: s.Courses}.Log(ctx, who(ctx), request.Course, request.Webhook,
		request.Params.Before)
	if err != nil {
		return nil, err
	}
	out := contract.Deliveries{Deliveries: []contract.Delivery{}, Next: page.Next}
	for _, d := range page.All {
		out.Deliveries = append(out.Deliveries, contract.Delivery{
			Id: d.ID, At: d.Made, Learner: d.Learner, DisplayName: d.Name, Paper: d.Paper, Exercise: d.Exercise,
			Mark: d.Mark, ByHand: d.ByHand, State: contract.DeliveryState(d.State), Tries: d.Tries,
			Tried:  orZero(d.Tried),
			Status: d.Status, Error: d.Error,
		})
	}
	return contract.ListDeliveries200JSONResponse(out), nil
}
