package web

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// route is one address with the right that it needs and what answers it.
type route struct {
	method, path string
	right        access.Right
	handle       gin.HandlerFunc
}

// Where the pages of a site and the calls for programs begin.
const (
	sitePath = "/k/:site"
	apiPath  = "/api/v1"
)

// routes is the one table of all addresses and of who may use them: nothing is
// served that is not in it.
func (s *Server) routes() []route {
	calc := func(path string, handle gin.HandlerFunc) route {
		return route{"POST", apiPath + "/calc/" + path, access.Anyone, s.limits.then(handle)}
	}
	return []route{
		{"GET", "/healthz", access.Anyone, func(c *gin.Context) { c.String(http.StatusOK, "ok\n") }},
		{"GET", "/readyz", access.Anyone, s.ready},
		{"GET", "/metrics", access.Anyone, s.metrics},
		{"GET", "/static/*file", access.Anyone, gin.WrapH(http.StripPrefix("/static", s.assets))},
		{"GET", "/draw/:subject/:zone", access.Anyone, s.vignette},
		{"GET", "/", access.Anyone, s.home},
		{"GET", "/setup", access.Anyone, s.setupForm},
		{"POST", "/setup", access.Anyone, s.setup},
		{"GET", "/sign-in", access.Anyone, s.signInForm},
		{"POST", "/sign-in", access.Anyone, s.signIn},

		{"GET", sitePath + "/confirm", access.Self, s.askSecret},
		{"POST", sitePath + "/confirm", access.Self, s.confirmed},
		{"POST", sitePath + "/sign-out", access.Self, s.signOut},
		{"GET", sitePath + "/shift", access.Self, s.shift},
		{"POST", sitePath + "/shift/scales", access.Self, s.setScales},
		{"POST", sitePath + "/shift/pin", access.Self, s.ownPIN},
		{"POST", sitePath + "/shift/password", access.Self, s.ownPassword},
		{"POST", sitePath + "/sessions/:id/end", access.Self, s.endSession},
		{"GET", sitePath + "/people", access.Staff, s.people},
		{"POST", sitePath + "/people", access.Staff, s.addPerson},
		{"POST", sitePath + "/people/:id/role", access.Staff, s.setRole},
		{"POST", sitePath + "/people/:id/pin", access.Staff, s.setPIN},
		{"POST", sitePath + "/people/:id/login", access.Staff, s.setLogin},
		{"POST", sitePath + "/people/:id/:what", access.Staff, s.changePerson},
		{"POST", sitePath + "/devices", access.Staff, s.enrol},
		{"POST", sitePath + "/devices/lock", access.Staff, s.setLock},
		{"POST", sitePath + "/devices/:id/revoke", access.Staff, s.revokeDevice},
		{"GET", sitePath + "/tokens", access.Staff, s.tokens},
		{"POST", sitePath + "/tokens", access.Staff, s.addToken},
		{"POST", sitePath + "/tokens/:id/revoke", access.Staff, s.revokeToken},
		{"GET", sitePath + "/audit", access.Audit, s.audit},
		{"POST", sitePath + "/audit/check", access.Audit, s.checkAudit},
		{"GET", sitePath + "/kitchens/new", access.Own, s.kitchenForm},
		{"POST", sitePath + "/kitchens/new", access.Own, s.openKitchen},

		{"GET", sitePath + "/board", access.Read, s.board},
		{"GET", sitePath + "/board/rows", access.Read, s.boardRows},
		{"GET", sitePath + "/strip", access.Read, s.stripPart},
		{"GET", sitePath + "/live", access.Read, s.live},
		{"GET", sitePath + "/due", access.Read, s.due},
		{"GET", sitePath + "/deliveries", access.Read, s.deliveries},
		{"GET", sitePath + "/deliveries/receive", access.Read, s.receiveForm},
		{"POST", sitePath + "/deliveries/receive", access.Write, s.receive},
		{"GET", sitePath + "/deliveries/:id", access.Read, s.deliveryNote},
		{"GET", sitePath + "/species", access.Read, s.speciesSearch},
		{"GET", sitePath + "/lots/:id", access.Read, s.lotCard},
		{"POST", sitePath + "/lots/:id/events/:kind", access.Write, s.lotEvent},
		{"POST", sitePath + "/lots/:id/photos", access.Write, s.addPhoto},
		{"GET", sitePath + "/lots/:id/complaints/:event", access.Read, s.complaintPDF},
		{"GET", sitePath + "/photos/:photo", access.Read, s.photo},
		{"GET", sitePath + "/trimmed", access.Read, s.trimmed},
		{"GET", sitePath + "/deliveries/market", access.Buy, s.market},
		{"POST", sitePath + "/deliveries/market", access.Buy, s.checkFish},
		{"GET", sitePath + "/deliveries/order", access.Buy, s.orderForm},
		{"POST", sitePath + "/deliveries/order", access.Buy, s.order},
		{"GET", sitePath + "/lots/:id/inspect", access.Read, s.inspectForm},
		{"POST", sitePath + "/lots/:id/inspect/preview", access.Write, s.inspectPreview},
		{"POST", sitePath + "/lots/:id/inspect", access.Write, s.inspect},
		{"GET", sitePath + "/deliveries/own-catch", access.Read, s.ownCatch},
		{"POST", sitePath + "/deliveries/own-catch", access.Write, s.landCatch},
		{"GET", sitePath + "/lots/:id/own-catch", access.Read, s.stamps},
		{"POST", sitePath + "/lots/:id/own-catch", access.Write, s.stamp},
		{"GET", sitePath + "/lots/:id/harvest", access.Read, s.harvestForm},
		{"POST", sitePath + "/lots/:id/harvest", access.Write, s.harvest},
		{"GET", sitePath + "/cold", access.Read, s.ice},
		{"GET", sitePath + "/cold/ice-plan", access.Read, s.icePlan},
		{"POST", sitePath + "/cold/places/:id/ice", access.Write, s.logIce},
		{"POST", sitePath + "/cold/places/:id/box", access.Equip, s.setBox},
		{"POST", sitePath + "/cold/places", access.Equip, s.addPlace},
		{"GET", sitePath + "/cold/places/:id", access.Read, s.place},
		{"POST", sitePath + "/cold/places/:id", access.Equip, s.setPlace},
		{"POST", sitePath + "/cold/places/:id/plan", access.Equip, s.arrange},
		{"GET", sitePath + "/cold/places/:id/trace", access.Read, s.trace},
		{"GET", sitePath + "/cold/probes", access.Read, s.probes},
		{"POST", sitePath + "/cold/probes", access.Equip, s.addProbe},
		{"POST", sitePath + "/cold/alarm-settings", access.Manage, s.setAlarmSettings},
		{"GET", sitePath + "/cold/probes/:id", access.Read, s.probe},
		{"POST", sitePath + "/cold/probes/:id/move", access.Write, s.moveProbe},
		{"POST", sitePath + "/cold/probes/:id/check", access.Write, s.checkProbe},
		{"POST", sitePath + "/cold/probes/:id/reassign", access.Write, s.reassign},
		{"POST", sitePath + "/cold/probes/:id/token", access.Equip, s.probeToken},
		{"GET", sitePath + "/cold/whatif", access.Read, s.whatIf},
		{"POST", sitePath + "/cold/whatif", access.Write, s.moveAll},
		{"GET", sitePath + "/cold/alarms/:id", access.Read, s.failure},
		{"POST", sitePath + "/cold/alarms/:id", access.Write, s.actOnAlarm},
		{"POST", sitePath + "/cold/alarms/:id/review", access.Write, s.recordFailure},
		{"GET", sitePath + "/alarms", access.Read, s.alarmPart},
		{"GET", sitePath + "/devices/:kind", access.Read, s.lastValue},
		{"GET", sitePath + "/lots/:id/exposure", access.Read, s.exposure},
		{"POST", sitePath + "/cold/places/:id/temperature", access.Write, s.logPlace},
		{"GET", sitePath + "/cold/freezer", access.Read, s.freezer},
		{"POST", sitePath + "/cold/freezer/places/:id", access.Equip, s.setFreezer},
		{"GET", sitePath + "/cold/freezer/freeze", access.Read, s.freezeForm},
		{"POST", sitePath + "/cold/freezer/freeze", access.Write, s.freeze},
		{"GET", sitePath + "/cold/freezer/batches/:id", access.Read, s.batch},
		{"POST", sitePath + "/cold/freezer/batches/:id/core", access.Write, s.batchCore},
		{"GET", sitePath + "/declarations", access.Read, s.declarations},
		{"POST", sitePath + "/declarations", access.Manage, s.addDeclaration},
		{"POST", sitePath + "/declarations/:id/cancel", access.Manage, s.cancelPaper(s.kitchen.CancelDeclaration, "/declarations")},
		{"GET", sitePath + "/lots/:id/certificate.pdf", access.Read, s.certificate},
		{"GET", sitePath + "/cold/thaw", access.Read, s.thaw},
		{"POST", sitePath + "/cold/thaw/policy", access.Manage, s.setThawPolicy},
		{"GET", sitePath + "/cold/thaw/plan", access.Read, s.thawOrder},
		{"POST", sitePath + "/cold/thaw/plan", access.Write, s.saveThaw},
		{"GET", sitePath + "/cold/thaw/plans/:id", access.Read, s.thawPlan},
		{"GET", sitePath + "/cold/thaw/plans/:id/sheet", access.Read, s.thawSheet},
		{"GET", sitePath + "/cold/thaw/plans/:id/thaw.ics", access.Read, s.thawCalendar},
		{"POST", sitePath + "/cold/thaw/plans/:id/steps", access.Write, s.completeThawStep},
		{"POST", sitePath + "/cold/thaw/plans/:id/replan", access.Write, s.replanThaw},
		{"POST", sitePath + "/cold/thaw/plans/:id/drop", access.Write, s.dropThaw},
		{"GET", sitePath + "/cold/ageing", access.Read, s.ageing},
		{"POST", sitePath + "/cold/ageing/places/:id", access.Equip, s.setCabinet},
		{"GET", sitePath + "/cold/ageing/start", access.Read, s.startAgeingForm},
		{"POST", sitePath + "/cold/ageing/start", access.Write, s.startAgeing},
		{"GET", sitePath + "/cold/ageing/plans", access.Read, s.ageingPlans},
		{"POST", sitePath + "/cold/ageing/plans", access.Manage, s.addAgeingPlan},
		{"POST", sitePath + "/cold/ageing/plans/:id/cancel", access.Manage, s.cancelPaper(s.kitchen.CancelAgeingPlan, "/cold/ageing/plans")},
		{"GET", sitePath + "/lots/:id/ageing", access.Read, s.ageingFish},
		{"POST", sitePath + "/lots/:id/ageing/:what", access.Write, s.ageingEvent},
		{"GET", sitePath + "/import", access.Read, s.importForm},
		{"POST", sitePath + "/import", access.Write, s.importUpload},
		{"GET", sitePath + "/import/:id", access.Read, s.importPreview},
		{"POST", sitePath + "/import/:id", access.Write, s.importStore},
		{"GET", sitePath + "/records", access.Read, s.records},
		{"POST", sitePath + "/records/check", access.Read, s.checkChains},
		{"GET", sitePath + "/schemes", access.Read, s.schemes},
		{"POST", sitePath + "/schemes", access.Manage, s.copyScheme},
		{"GET", sitePath + "/schemes/:scheme", access.Read, s.scheme},
		{"POST", sitePath + "/schemes/:scheme", access.Manage, s.saveScheme},
		{"POST", sitePath + "/schemes/:scheme/calibrate", access.Manage, s.calibrate},
		{"GET", sitePath + "/rules", access.Read, s.rules},
		{"POST", sitePath + "/rules", access.Manage, s.setProfile},
		{"GET", sitePath + "/suppliers", access.Read, s.suppliers},
		{"POST", sitePath + "/suppliers", access.Manage, s.setWage},
		{"GET", sitePath + "/suppliers/:id", access.Read, s.supplier},
		{"GET", sitePath + "/find", access.Read, s.find},

		{"GET", apiPath + "/openapi.json", access.Anyone, func(c *gin.Context) { writeCompressed(c, http.StatusOK, "application/json", openAPI) }},
		{"GET", apiPath + "/species", access.Anyone, func(c *gin.Context) { apiJSON(c, http.StatusOK, species.All()) }},
		{"GET", apiPath + "/explanations", access.Anyone, func(c *gin.Context) { apiJSON(c, http.StatusOK, freshness.Explanations()) }},
		{"GET", apiPath + "/findings", access.Anyone, func(c *gin.Context) { apiJSON(c, http.StatusOK, freshness.Findings()) }},
		{"GET", apiPath + "/schemes", access.Anyone, func(c *gin.Context) { apiJSON(c, http.StatusOK, freshness.Schemes()) }},
		calc("exposure", calcHandler(calcExposure)),
		calc("freshness", calcHandler(calcFreshness)),
		calc("rigor", calcHandler(calcRigor)),
		calc("ice", calcHandler(calcIce)),
		calc("histamine", calcHandler(calcHistamine)),
		calc("parasite", calcHandler(calcParasite)),
		calc("frozen-life", calcHandler(calcFrozenLife)),
		calc("thaw", calcHandler(calcThaw)),
		calc("ageing", calcHandler(calcAgeing)),
		calc("heat", calcHandler(calcHeat)),
		calc("properties", calcHandler(calcProperties)),
		{"GET", apiPath + "/lots", access.Read, s.apiLots},
		{"GET", apiPath + "/lots/:id", access.Read, s.apiLot},
		{"GET", apiPath + "/lots/:id/events", access.Read, s.apiEvents},
		{"POST", apiPath + "/lots/:id/events", access.Write, s.apiAppend},
		{"GET", apiPath + "/lots/:id/exposure", access.Read, s.apiExposure},
		{"GET", apiPath + "/places", access.Read, s.apiPlaces},
		{"GET", apiPath + "/alarms", access.Read, s.apiAlarms},
		{"POST", apiPath + "/readings", access.Send, s.apiReadings},
	}
}

// register adds the routes, each behind the guard of its right.
func (s *Server) register(r *gin.Engine) {
	for _, x := range s.routes() {
		chain := []gin.HandlerFunc{x.handle}
		switch {
		case strings.HasPrefix(x.path, apiPath):
			chain = []gin.HandlerFunc{limitAPI, x.handle}
			if x.right != access.Anyone {
				chain = []gin.HandlerFunc{limitAPI, s.guardAPI(x.right), x.handle}
			}
		case strings.HasPrefix(x.path, sitePath):
			chain = []gin.HandlerFunc{s.guard(x.right), x.handle}
		case x.method == "POST":
			chain = []gin.HandlerFunc{limitForm, x.handle}
		}
		r.Handle(x.method, x.path, chain...)
	}
}
