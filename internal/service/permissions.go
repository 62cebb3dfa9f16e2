package service

import (
	"context"

	"vastspan/internal/access"
)

// Anybody marks an operation that needs nobody to be signed in: what lets people in.
const Anybody = access.Nobody

// roles are the roles that operations need, by their names in api/openapi.yaml. What a caller sees of a dataset, and whether a
// load or a definition is his own, is decided with the thing itself. An operation that is not here is nobody's.
var roles = map[string]access.Role{
	// what lets people in, and what concerns themselves
	"getSession": Anybody, "signIn": Anybody, "openLink": Anybody, "useLink": Anybody, "signOn": Anybody, "returnFromSignOn": Anybody,
	"signOut": access.Account, "listSessions": access.Account, "endSession": access.Account, "changePassword": access.Account,
	"listKeys": access.Account, "createKey": access.Account, "revokeKey": access.Account, "getStatus": access.Account,

	// questions
	"resolve": access.Reader, "resolveTimeline": access.Reader, "rehearse": access.Reader,
	"check": access.Reader, "acknowledgeFinding": access.Analyst, "withdrawAcknowledgement": access.Analyst,
	"elapse": access.Reader, "readLimits": access.Reader, "age": access.Reader, "listDays": access.Reader,
	"getPublishedDays": access.Reader, "total": access.Reader,
	"findDrivers": access.Reader, "lineUp": access.Reader, "listRecords": access.Reader,
	"listBoundaries": access.Reader, "listChanges": access.Reader, "layOutCalendar": access.Reader, "getCalendarYear": access.Reader,

	// definitions
	"getBook": access.Reader, "loadBook": access.Analyst,
	"listSpans": access.Reader, "getSpan": access.Reader, "listSpanVersions": access.Reader, "addSpan": access.Analyst,
	"putSpan": access.Analyst, "removeSpan": access.Analyst, "renameSpan": access.Analyst, "moveSpan": access.Analyst,
	"restoreSpan": access.Analyst, "listCalendars": access.Reader, "getCalendar": access.Reader, "listCalendarVersions": access.Reader,
	"addCalendar": access.Analyst, "putCalendar": access.Analyst, "removeCalendar": access.Analyst, "restoreCalendar": access.Analyst,
	"listHolidayLists": access.Reader, "getHolidayList": access.Reader, "listHolidayListVersions": access.Reader,
	"addHolidayList": access.Analyst, "putHolidayList": access.Analyst, "removeHolidayList": access.Analyst,
	"restoreHolidayList": access.Analyst, "listEventLists": access.Reader, "getEventList": access.Reader,
	"listEventListVersions": access.Reader, "readEvents": access.Reader, "addEventList": access.Analyst, "putEventList": access.Analyst,
	"removeEventList": access.Analyst, "restoreEventList": access.Analyst, "renameEventList": access.Analyst,
	"listBriefs": access.Reader, "getBrief": access.Reader, "listBriefVersions": access.Reader,
	"addBrief": access.Analyst, "putBrief": access.Analyst, "removeBrief": access.Analyst, "restoreBrief": access.Analyst,
	"viewBrief": access.Reader, "rehearseBrief": access.Reader,

	// datasets
	"listDatasets": access.Reader, "getDataset": access.Reader, "listDatasetUsers": access.Reader, "listValues": access.Reader,
	"listLoads": access.Reader, "getLoad": access.Reader, "describeDataset": access.Analyst, "renameDataset": access.Analyst,
	"previewLoad": access.Analyst, "loadFile": access.Analyst, "undoLoad": access.Analyst, "redoLoad": access.Analyst,
	"verifyDataset":   access.Analyst,
	"totalStatements": access.Analyst, "listDatabases": access.Analyst, "publishDays": access.Analyst,
	"removeDataset": access.Administrator, "restoreDataset": access.Administrator,
	"listRemovedDatasets": access.Administrator, "attachTable": access.Administrator, "testDatabase": access.Administrator,
	"listTables": access.Administrator, "listColumns": access.Administrator,
	"getAccess": access.Administrator, "putAccess": access.Administrator,

	// receipts
	"listReceipts": access.Reader, "getReceipt": access.Reader, "compareReceipt": access.Reader, "createReceipt": access.Analyst,
	"listSchedules": access.Reader, "getSchedule": access.Reader, "getDeliveryMeans": access.Reader, "listDeliveries": access.Analyst,
	"addSchedule": access.Administrator, "removeSchedule": access.Administrator, "runSchedules": access.Administrator,
	"retryDelivery": access.Administrator,

	// the service itself
	"listAccounts": access.Administrator, "addAccount": access.Administrator, "changeAccount": access.Administrator,
	"resetAccount": access.Administrator, "searchAudit": access.Auditor, "describeService": access.Administrator,
	"makeBackup": access.Administrator, "readMetrics": access.Reader,
}

// Roles returns the roles that operations need, by their names.
func Roles() map[string]access.Role { return roles }

// Permit refuses an operation that the caller's role does not cover. Every way in asks it, before anything is read.
func (s *Service) Permit(ctx context.Context, operation string) error {
	role, known := roles[operation]
	switch {
	case !known:
		return access.Refusedf("nobody may do %s: it is in no list of roles", operation)
	case role == Anybody:
		return nil
	}
	return access.Need(ctx, role)
}
