package web

import (
	"context"
	"net/http"
	"time"

	"vastspan/api/server"
	"vastspan/internal/service"
)

// A backup is an answer that is written while the database is read.
type backup struct {
	ctx     context.Context
	service *service.Service
	version string
}

// MakeBackup implements the operation of the same name.
func (h *handlers) MakeBackup(ctx context.Context, _ server.MakeBackupRequestObject) (server.MakeBackupResponseObject, error) {
	return backup{ctx, h.service, h.settings.Version}, nil
}

// VisitMakeBackupResponse implements the answer. Where it breaks off the archive has no manifest.
func (b backup) VisitMakeBackupResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", attachment("vastspan-"+time.Now().UTC().Format("2006-01-02T150405Z")+".zip"))
	err := b.service.Backup(b.ctx, w, b.version)
	if err != nil {
		w.Header().Del("Content-Disposition")
	}
	return err
}
