package web

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/httpx"
	"leancatch/internal/interchange"
	"leancatch/internal/photo"
)

// sitePath is where the pages of a site begin.
const sitePath = "/k/:site"

// routes is the one table of all pages and of who may use them: beside it and the
// routes of the API nothing is served.
func (s *Server) routes() []httpx.Route {
	get, post := httpx.Get, httpx.Post
	return withWaysBack([]httpx.Route{
		get("/healthz", access.Anyone, func(c *gin.Context) { c.String(http.StatusOK, "ok\n") }),
		get("/readyz", access.Anyone, s.ready),
		get("/metrics", access.Anyone, s.metrics),
		get("/static/*file", access.Anyone, gin.WrapH(http.StripPrefix("/static", s.assets))),
		get("/draw/:subject/:zone", access.Anyone, s.vignette),
		get("/", access.Anyone, s.home),
		get("/setup", access.Anyone, s.setupForm),
		post("/setup", access.Anyone, s.setup),
		get("/sign-in", access.Anyone, s.signInForm),
		post("/sign-in", access.Anyone, s.signIn),

		get(sitePath+"/confirm", access.Self, s.askSecret),
		post(sitePath+"/confirm", access.Self, s.confirmed),
		post(sitePath+"/sign-out", access.Self, s.signOut),
		get(sitePath+"/shift", access.Self, s.shift),
		post(sitePath+"/shift/scales", access.Self, s.setScales),
		post(sitePath+"/shift/pin", access.Self, s.ownPIN),
		post(sitePath+"/shift/password", access.Self, s.ownPassword),
		post(sitePath+"/sessions/:id/end", access.Self, s.endSession),
		get(sitePath+"/people", access.Staff, s.people),
		post(sitePath+"/people", access.Staff, s.addPerson),
		post(sitePath+"/people/:id/role", access.Staff, s.setRole),
		post(sitePath+"/people/:id/pin", access.Staff, s.setPIN),
		post(sitePath+"/people/:id/login", access.Staff, s.setLogin),
		post(sitePath+"/people/:id/:what", access.Staff, s.changePerson),
		post(sitePath+"/devices", access.Staff, s.enrol),
		post(sitePath+"/devices/lock", access.Staff, s.setLock),
		post(sitePath+"/devices/:id/revoke", access.Staff, s.revokeDevice),
		get(sitePath+"/settings", access.Manage, s.settings),
		post(sitePath+"/settings", access.Manage, s.setSettings),
		get(sitePath+"/tokens", access.Staff, s.tokens),
		post(sitePath+"/tokens", access.Staff, s.addToken),
		post(sitePath+"/tokens/:id/revoke", access.Staff, s.revokeToken),
		get(sitePath+"/audit", access.Audit, s.audit),
		post(sitePath+"/audit/check", access.Audit, s.checkAudit),
		get(sitePath+"/kitchens/new", access.Own, s.kitchenForm),
		post(sitePath+"/kitchens/new", access.Own, s.openKitchen),

		get(sitePath+"/board", access.Read, s.board),
		get(sitePath+"/board/rows", access.Read, s.boardRows),
		get(sitePath+"/strip", access.Read, s.stripPart),
		get(sitePath+"/live", access.Read, s.live),
		get(sitePath+"/due", access.Read, s.due),
		post(sitePath+"/due/notes", access.Write, s.leaveNote),
		post(sitePath+"/due/notes/:id/read", access.Write, s.readNote),
		get(sitePath+"/approvals", access.Read, s.approvals),
		post(sitePath+"/approvals", access.Write, s.answerRequests),
		post(sitePath+"/approvals/deputy", access.Manage, s.nameDeputy),
		get(sitePath+"/lots/:id/label", access.Read, s.holdLabel),
		get(sitePath+"/deliveries", access.Read, s.deliveries),
		post(sitePath+"/deliveries/boats", access.Write, s.boatsStayIn),
		post(sitePath+"/deliveries/boats/:id/out", access.Write, s.boatsOut),
		post(sitePath+"/deliveries/boats/:id/mistake", access.Write, s.boatsWereOut),
		get(sitePath+"/deliveries/receive", access.Write, s.receiveForm),
		post(sitePath+"/deliveries/receive", access.Write, s.receive),
		get(sitePath+"/deliveries/here", access.Write, s.hereForm),
		post(sitePath+"/deliveries/here", access.Write, s.here).TakesFiles(maxLines*photo.MaxBytes + 1<<20),
		get(sitePath+"/deliveries/:id", access.Read, s.deliveryNote),
		get(sitePath+"/species", access.Read, s.speciesSearch),
		get(sitePath+"/lots/:id", access.Read, s.lotCard),
		post(sitePath+"/lots/:id/events/:kind", access.Write, s.lotEvent),
		get(sitePath+"/lots/:id/entries/:event/correct", access.Write, s.correctForm),
		post(sitePath+"/lots/:id/entries/:event/correct", access.Write, s.correct),
		post(sitePath+"/lots/:id/photos", access.Write, s.addPhoto).TakesFiles(photo.MaxBytes + 1<<20),
		get(sitePath+"/lots/:id/complaints/:event", access.Read, s.complaintPDF),
		get(sitePath+"/photos/:photo", access.Read, s.photo),
		get(sitePath+"/trimmed", access.Read, s.trimmed),
		get(sitePath+"/deliveries/market", access.Buy, s.market),
		post(sitePath+"/deliveries/market", access.Buy, s.checkFish),
		get(sitePath+"/deliveries/order", access.Buy, s.orderForm),
		post(sitePath+"/deliveries/order", access.Buy, s.order),
		get(sitePath+"/deliveries/deal", access.Buy, s.dealForm),
		post(sitePath+"/deliveries/deal", access.Buy, s.deal),
		get(sitePath+"/deliveries/orders", access.Buy, s.orders),
		get(sitePath+"/deliveries/orders/:id", access.Read, s.orderPage),
		get(sitePath+"/deliveries/orders/:id/order.pdf", access.Read, s.orderFile("application/pdf", ".pdf", interchange.OrderPDF)),
		get(sitePath+"/deliveries/orders/:id/order.csv", access.Read, s.orderFile("text/csv; charset=utf-8", ".csv", interchange.OrderCSV)),
		post(sitePath+"/deliveries/orders/:id/sent", access.Buy, s.orderAct(s.kitchen.OrderSent)),
		post(sitePath+"/deliveries/orders/:id/cancel", access.Buy, s.orderAct(s.kitchen.CancelOrder)),
		get(sitePath+"/lots/:id/inspect", access.Write, s.inspectForm),
		get(sitePath+"/lots/:id/arrival", access.Write, s.arrivalForm),
		post(sitePath+"/lots/:id/arrival", access.Write, s.arrival),
		post(sitePath+"/lots/:id/transfers/:transfer/decline", access.Write, s.decline),
		post(sitePath+"/lots/:id/inspect/preview", access.Write, s.inspectPreview),
		post(sitePath+"/lots/:id/inspect", access.Write, s.inspect),
		get(sitePath+"/deliveries/own-catch", access.Read, s.ownCatch),
		post(sitePath+"/deliveries/own-catch", access.Write, s.landCatch),
		get(sitePath+"/lots/:id/own-catch", access.Write, s.stamps),
		post(sitePath+"/lots/:id/own-catch", access.Write, s.stamp),
		get(sitePath+"/lots/:id/harvest", access.Write, s.harvestForm),
		post(sitePath+"/lots/:id/harvest", access.Write, s.harvest),
		get(sitePath+"/cold", access.Read, s.ice),
		get(sitePath+"/cold/check", access.Read, s.placesCheck),
		post(sitePath+"/cold/check", access.Write, s.signCheck),
		get(sitePath+"/cold/ice-plan", access.Read, s.icePlan),
		post(sitePath+"/cold/places/:id/ice", access.Write, s.logIce),
		post(sitePath+"/cold/places/:id/box", access.Equip, s.setBox),
		post(sitePath+"/cold/places", access.Equip, s.addPlace),
		get(sitePath+"/cold/places/:id", access.Read, s.place),
		post(sitePath+"/cold/places/:id", access.Equip, s.setPlace),
		post(sitePath+"/cold/places/:id/plan", access.Equip, s.arrange),
		get(sitePath+"/cold/places/:id/trace", access.Read, s.trace),
		get(sitePath+"/cold/probes", access.Read, s.probes),
		post(sitePath+"/cold/probes", access.Equip, s.addProbe),
		post(sitePath+"/cold/alarm-settings", access.Manage, s.setAlarmSettings),
		get(sitePath+"/cold/probes/:id", access.Read, s.probe),
		post(sitePath+"/cold/probes/:id/move", access.Write, s.moveProbe),
		post(sitePath+"/cold/probes/:id/check", access.Write, s.checkProbe),
		post(sitePath+"/cold/probes/:id/reassign", access.Write, s.reassign),
		post(sitePath+"/cold/probes/:id/token", access.Equip, s.probeToken),
		get(sitePath+"/cold/whatif", access.Read, s.whatIf),
		post(sitePath+"/cold/whatif", access.Write, s.moveAll),
		get(sitePath+"/cold/alarms/:id", access.Read, s.failure),
		post(sitePath+"/cold/alarms/:id", access.Write, s.actOnAlarm),
		post(sitePath+"/cold/alarms/:id/review", access.Write, s.recordFailure),
		get(sitePath+"/alarms", access.Read, s.alarmPart),
		get(sitePath+"/measured/:kind", access.Read, s.lastValue),
		get(sitePath+"/lots/:id/exposure", access.Read, s.exposure),
		post(sitePath+"/cold/places/:id/temperature", access.Write, s.logPlace),
		post(sitePath+"/cold/places/:id/temperature/correct", access.Write, s.correctReading),
		get(sitePath+"/cold/freezer", access.Read, s.freezer),
		post(sitePath+"/cold/freezer/places/:id", access.Equip, s.setFreezer),
		get(sitePath+"/cold/freezer/freeze", access.Write, s.freezeForm),
		post(sitePath+"/cold/freezer/freeze", access.Write, s.freeze),
		get(sitePath+"/cold/freezer/batches/:id", access.Read, s.batch),
		post(sitePath+"/cold/freezer/batches/:id/core", access.Write, s.batchCore),
		get(sitePath+"/declarations", access.Read, s.declarations),
		post(sitePath+"/declarations", access.Manage, s.addDeclaration),
		post(sitePath+"/declarations/:id/cancel", access.Manage,
			s.cancelPaper(s.kitchen.CancelDeclaration, "/declarations")),
		get(sitePath+"/lots/:id/certificate.pdf", access.Read, s.certificate),
		get(sitePath+"/cold/thaw", access.Read, s.thaw),
		post(sitePath+"/cold/thaw/policy", access.Manage, s.setThawPolicy),
		get(sitePath+"/cold/thaw/plan", access.Write, s.thawOrder),
		post(sitePath+"/cold/thaw/plan", access.Write, s.saveThaw),
		get(sitePath+"/cold/thaw/plans/:id", access.Read, s.thawPlan),
		get(sitePath+"/cold/thaw/plans/:id/sheet", access.Read, s.thawSheet),
		get(sitePath+"/cold/thaw/plans/:id/thaw.ics", access.Read, s.thawCalendar),
		post(sitePath+"/cold/thaw/plans/:id/steps", access.Write, s.completeThawStep),
		post(sitePath+"/cold/thaw/plans/:id/steps/correct", access.Write, s.correctThawStep),
		post(sitePath+"/cold/thaw/plans/:id/replan", access.Write, s.replanThaw),
		post(sitePath+"/cold/thaw/plans/:id/drop", access.Write, s.dropThaw),
		get(sitePath+"/cold/ageing", access.Read, s.ageing),
		post(sitePath+"/cold/ageing/places/:id", access.Equip, s.setCabinet),
		get(sitePath+"/cold/ageing/start", access.Write, s.startAgeingForm),
		post(sitePath+"/cold/ageing/start", access.Write, s.startAgeing),
		get(sitePath+"/cold/ageing/plans", access.Read, s.ageingPlans),
		post(sitePath+"/cold/ageing/plans", access.Manage, s.addAgeingPlan),
		post(sitePath+"/cold/ageing/plans/:id/cancel", access.Manage,
			s.cancelPaper(s.kitchen.CancelAgeingPlan, "/cold/ageing/plans")),
		get(sitePath+"/lots/:id/ageing", access.Read, s.ageingFish),
		post(sitePath+"/lots/:id/ageing/:what", access.Write, s.ageingEvent),
		get(sitePath+"/import", access.Write, s.importForm),
		post(sitePath+"/import", access.Write, s.importUpload).TakesFiles(maxUpload),
		get(sitePath+"/import/:id", access.Write, s.importPreview),
		post(sitePath+"/import/:id", access.Write, s.importStore),
		post(sitePath+"/undo", access.Write, s.undo),
		get(sitePath+"/labels", access.Write, s.labels),
		post(sitePath+"/labels", access.Write, s.printLabels),
		get(sitePath+"/labels/pdf", access.Write, s.labelsPDF),
		get(sitePath+"/lots/:id/label.png", access.Read, s.labelPNG),
		get(sitePath+"/bench", access.Read, s.bench),
		post(sitePath+"/settings/bench", access.Manage, s.setBench),
		post(sitePath+"/settings/printer", access.Manage, s.setPrinter),
		post(sitePath+"/settings/par-cook", access.Manage, s.signParCook),
		post(sitePath+"/bench/clean-down", access.Write, s.cleanDown),
		get(sitePath+"/bench/cards", access.Read, s.cuttingCards),
		get(sitePath+"/bench/cards/:card", access.Read, s.cuttingCard),
		post(sitePath+"/bench/cards/:card", access.Write, s.train),
		post(sitePath+"/bench/cards/:card/photo", access.Write, s.cardPhoto).TakesFiles(photo.MaxBytes + 1<<20),
		get(sitePath+"/bench/yields", access.Read, s.yields),
		get(sitePath+"/bench/compare", access.Read, s.compare),
		get(sitePath+"/bench/cut/:id", access.Write, s.cutForm),
		post(sitePath+"/bench/cut/:id", access.Write, s.cut),
		get(sitePath+"/bench/cuts/:id/:event", access.Read, s.cutPage),
		get(sitePath+"/service", access.Read, s.service),
		get(sitePath+"/service/plan", access.Write, s.servicePlan),
		post(sitePath+"/service/plan", access.Write, s.saveService),
		get(sitePath+"/service/dishes", access.Read, s.dishes),
		post(sitePath+"/service/dishes", access.Write, s.saveDish),
		get(sitePath+"/service/dishes/:dish", access.Write, s.dishForm),
		post(sitePath+"/service/dishes/:dish/retire", access.Write, s.retireDish),
		get(sitePath+"/service/order", access.Buy, s.ordering),
		post(sitePath+"/service/order", access.Buy, s.orderFor),
		get(sitePath+"/service/:id/fix/:dish", access.Read, s.fix),
		post(sitePath+"/service/:id/fix/:dish", access.Write, s.mend),
		post(sitePath+"/service/:id/drop", access.Write, s.dropService),
		get(sitePath+"/service/:id/dish/:dish", access.Read, s.serviceDish),
		post(sitePath+"/service/:id/reserve/:dish", access.Write, s.dishAct("reserve", s.reserve)),
		post(sitePath+"/service/:id/release/:dish", access.Write, s.dishAct("", s.release)),
		post(sitePath+"/service/:id/cook-check/:dish", access.Write, s.dishAct("cook", s.cookCheck)),
		post(sitePath+"/service/:id/put-up/:dish", access.Write, s.dishAct("", s.putUp)),
		get(sitePath+"/service/:id/thaw/:dish", access.Write, s.serviceThaw),
		get(sitePath+"/service/:id/sheet", access.Read, s.serviceSheet),
		get(sitePath+"/service/:id/close", access.Write, s.closeForm),
		post(sitePath+"/service/:id/close", access.Write, s.closeService),
		get(sitePath+"/records", access.Read, s.records),
		post(sitePath+"/records/check", access.Read, s.checkChains),
		get(sitePath+"/records/waste", access.Read, s.waste),
		get(sitePath+"/records/waste/fresh-days", access.Read, s.freshDays),
		get(sitePath+"/records/inspector", access.Read, s.inspector),
		get(sitePath+"/records/export/:file", access.Read, s.api.Export),
		get(sitePath+"/records/inspector/plan", access.Read, s.safetyPlan),
		get(sitePath+"/records/inspector/plan/edit", access.Manage, s.safetyPlanForm),
		post(sitePath+"/records/inspector/plan", access.Manage, s.signSafetyPlan),
		get(sitePath+"/records/inspector/retention", access.Read, s.retention),
		get(sitePath+"/records/inspector/deviations", access.Read, s.deviations),
		post(sitePath+"/records/inspector/deviations", access.Write, s.readDeviations),
		get(sitePath+"/records/said", access.Read, s.remarks),
		post(sitePath+"/records/said", access.Write, s.addRemark),
		post(sitePath+"/records/said/:id/cancel", access.Write, s.cancelRemark),
		get(sitePath+"/records/recall", access.Read, s.recallForm),
		post(sitePath+"/records/recall", access.Manage, s.beginRecall),
		get(sitePath+"/records/recall/:id", access.Read, s.recallSheet),
		post(sitePath+"/records/recall/:id/found", access.Write, s.recallFound),
		get(sitePath+"/lots/:id/lineage", access.Read, s.lineage),
		get(sitePath+"/records/species", access.Read, s.catalogue),
		get(sitePath+"/records/species/:species", access.Read, s.species),
		post(sitePath+"/records/species/:species", access.Manage, s.saveSpecies),
		post(sitePath+"/records/species/:species/copy", access.Manage, s.copySpecies),
		get(sitePath+"/schemes", access.Read, s.schemes),
		post(sitePath+"/schemes", access.Manage, s.copyScheme),
		get(sitePath+"/schemes/:scheme", access.Read, s.scheme),
		post(sitePath+"/schemes/:scheme", access.Manage, s.saveScheme),
		post(sitePath+"/schemes/:scheme/calibrate", access.Manage, s.calibrate),
		get(sitePath+"/rules", access.Read, s.rules),
		get(sitePath+"/history", access.Read, s.tryHistory),
		post(sitePath+"/history", access.Read, s.judgeHistory).Takes(2 * interchange.HistoryBytes), // as a form: percent-encoded
		get(sitePath+"/sources", access.Read, s.sources),
		post(sitePath+"/rules", access.Manage, s.setProfile),
		get(sitePath+"/suppliers", access.Read, s.suppliers),
		post(sitePath+"/suppliers", access.Manage, s.setWage),
		get(sitePath+"/suppliers/:id", access.Read, s.supplier),
		post(sitePath+"/suppliers/:id", access.Manage, s.setSupplierKind),
		post(sitePath+"/suppliers/:id/boxes", access.Buy, s.setBoxes),
		post(sitePath+"/suppliers/:id/deliveries", access.Buy, s.setDeliveries),
		get(sitePath+"/find", access.Read, s.find),
	})
}

// withWaysBack adds, for each address that only takes a form, where it leads who opens it: to
// the nearest page above it. A page that a form left behind can be opened again.
func withWaysBack(routes []httpx.Route) []httpx.Route {
	pages := map[string]bool{}
	for _, r := range routes {
		if r.Method == http.MethodGet {
			pages[r.Path] = true
		}
	}
	for _, r := range slices.Clone(routes) {
		if r.Method != http.MethodPost || pages[r.Path] || !strings.HasPrefix(r.Path, sitePath) {
			continue
		}
		pages[r.Path] = true
		above := strings.Split(r.Path, "/")
		for len(above) > 3 && !pages[strings.Join(above[:len(above)-1], "/")] {
			above = above[:len(above)-1]
		}
		n := max(3, len(above)-1)
		routes = append(routes, httpx.Get(r.Path, r.Right, func(c *gin.Context) {
			to := strings.Join(strings.Split(c.Request.URL.EscapedPath(), "/")[:n], "/")
			if n == 3 { // nothing stands above it
				to += "/shift"
			}
			c.Redirect(http.StatusSeeOther, to)
		}))
	}
	return routes
}

// register adds the routes, each behind the guard of its right.
func (s *Server) register(r *gin.Engine) {
	for _, x := range s.routes() {
		chain := []gin.HandlerFunc{x.Bound(s.fail)}
		if strings.HasPrefix(x.Path, sitePath) {
			chain = append(chain, s.guard(x.Right))
		}
		r.Handle(x.Method, x.Path, append(chain, x.Handle)...)
	}
	for _, x := range s.api.Routes() {
		r.Handle(x.Method, x.Path, s.api.Chain(x)...)
	}
}
