package service

import (
	"cmp"
	"io/fs"
	"mime"
	"path"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
)

const (
	maxBody    = 4 << 20
	mostAtOnce = 256                    // connections: with their bodies, what somebody without a token can make the service hold
	arrival    = 30 * time.Second       // for a request to arrive whole
	idle       = 2 * time.Minute        // between two requests of a connection
	workerIdle = 100 * time.Millisecond // so that nothing is left of a closed service
)

// openPath gives a browser its cookie for a one-time key.
const openPath = "/open"

// routes lists every path. What stands above requireAccess is open to everybody who reaches the address; all else, known
// or not, in whatever spelling, needs the token or the cookie.
func (s *Service) routes() *fiber.App {
	app := fiber.New(fiber.Config{AppName: "Rope Bench", BodyLimit: maxBody, ErrorHandler: s.fail, CaseSensitive: true, StrictRouting: true,
		ReadTimeout: cmp.Or(s.config.Arrival, arrival), IdleTimeout: idle, Concurrency: mostAtOnce})
	app.Server().MaxIdleWorkerDuration = workerIdle
	app.Use(s.refuseForeign, compress)
	app.Get(api.ProofPath, s.prove)
	app.Get(openPath, s.openConsole)
	app.Get("/schema/bench.json", sendSchema)
	for _, path := range consolePaths {
		app.Get(path, s.consoleFile)
	}
	app.Use(s.requireAccess)
	app.Get("/v1/health", s.health)
	app.Post("/v1/links", s.makeLink)
	app.Get("/v1/events", s.listenToEvents)
	app.Post("/v1/check", s.checkText)
	app.Post("/v1/numbers", s.listNumbers)
	app.Get("/v1/benches", s.listBenches)
	app.Put("/v1/benches/:bench", s.putBench)
	app.Get("/v1/benches/:bench", tag, s.getBench)
	app.Patch("/v1/benches/:bench", s.changeBench)
	app.Delete("/v1/benches/:bench", s.removeBench)
	app.Get("/v1/benches/:bench/changes", s.getChanges)
	app.Get("/v1/benches/:bench/revisions", tag, s.listRevisions)
	app.Get("/v1/benches/:bench/archive", tag, s.getArchive)
	app.Get("/v1/benches/:bench/files", tag, s.listFiles)
	app.Get("/v1/benches/:bench/files/*", tag, s.getFile)
	app.Put("/v1/benches/:bench/files/*", s.putFile)
	app.Post("/v1/benches/:bench/check", s.checkFiles)
	app.Get("/v1/benches/:bench/decks/*", s.getDeck)
	app.Post("/v1/benches/:bench/places", s.changePlaces)
	app.Post("/v1/benches/:bench/adoptions", s.adopt)
	app.Get("/v1/candidates", s.listCandidates)
	app.Put("/v1/benches/:bench/candidates", s.pick)
	app.Delete("/v1/benches/:bench/candidates", s.withdraw)
	app.Get("/v1/benches/:bench/report", s.getReport)
	app.Post("/v1/benches/:bench/what-if", s.tryByHand)
	app.Post("/v1/benches/:bench/turns", s.turn)
	app.Get("/v1/benches/:bench/results", s.listResults)
	app.Get("/v1/benches/:bench/results/*", s.getResultFile)
	app.Post("/v1/benches/:bench/ways", s.findWays)
	app.Post("/v1/benches/:bench/outputs", s.addOutput)
	app.Post("/v1/benches/:bench/runs", s.startRun)
	app.Get("/v1/runs", s.listRuns)
	app.Get("/v1/runs/:run", s.getRun)
	app.Get("/v1/runs/:run/result", s.getResult)
	app.Post("/v1/runs/:run/stop", s.control(s.runs.Stop))
	app.Post("/v1/runs/:run/pause", s.control(s.runs.Pause))
	app.Post("/v1/runs/:run/resume", s.control(s.runs.Resume))
	app.Post("/v1/runs/:run/extend", s.extendRun)
	app.Get("/v1/runs/:run/exploration", s.getExploration)
	app.Get("/v1/runs/:run/obstacles", s.getObstacles)
	app.Get("/v1/runs/:run/front", s.getFront)
	app.Get("/v1/runs/:run/convergence", s.getConvergence)
	app.Get("/v1/runs/:run/fit", s.getFit)
	app.Post("/v1/runs/:run/predictions", s.predict)
	app.Post("/v1/runs/:run/surface", s.drawSurface)
	app.Get("/v1/runs/:run/figure", s.getFigure)
	app.Get("/v1/runs/:run/matching", s.listMatching)
	app.Get("/v1/runs/:run/table", s.sendTable)
	app.Put("/v1/runs/:run/left-out", s.leaveOut)
	app.Get("/v1/runs/:run/selections", s.listSelections)
	app.Put("/v1/runs/:run/selections", s.keepSelection)
	app.Delete("/v1/runs/:run/selections", s.dropSelection)
	app.Get("/v1/runs/:run/evaluations", s.listEvaluations)
	app.Get("/v1/runs/:run/columns", s.sendColumns)
	app.Get("/v1/runs/:run/evaluations/:evaluation", s.getEvaluation)
	app.Get("/v1/runs/:run/evaluations/:evaluation/derivatives", s.getDerivatives)
	app.Get("/v1/runs/:run/evaluations/:evaluation/curves/:curve", s.sendCurve)
	app.Get("/v1/runs/:run/kept", s.listKept)
	app.Get("/v1/runs/:run/evaluations/:evaluation/files", s.listKeptFiles)
	app.Get("/v1/runs/:run/evaluations/:evaluation/files/*", s.getKeptFile)
	app.Use(func(c fiber.Ctx) error { return problem(fiber.StatusNotFound, "there is nothing at %s", c.Path()) })
	return app
}

func sendSchema(c fiber.Ctx) error {
	c.Set("Content-Type", "application/schema+json")
	return c.Send(bench.Schema())
}

func (s *Service) health(c fiber.Ctx) error {
	unfinished := s.runs.Unfinished()
	if unfinished == nil {
		unfinished = []int{}
	}
	return c.JSON(api.Health{Version: s.config.Version, Data: s.folder.path, Slots: s.slots(), Unfinished: unfinished, Companion: s.config.Companion})
}

func (s *Service) makeLink(c fiber.Ctx) error {
	return c.Status(fiber.StatusCreated).JSON(api.Link{URL: s.Link()})
}

// consolePaths are those of the console: its page, its places, and its files.
var consolePaths = []string{"/", "/bench/*", "/assets/*", "/knot.svg", "/theme.js"}

// consoleFile answers with a file of the console; a path that is no file is a place within it.
func (s *Service) consoleFile(c fiber.Ctx) error {
	name := strings.TrimPrefix(path.Clean(c.Path()), "/")
	if s.config.Console == nil {
		return problem(fiber.StatusNotFound, "this program was built without its console: run `make build`")
	}
	text, err := fs.ReadFile(s.config.Console, name)
	if err != nil {
		name = "index.html"
		if text, err = fs.ReadFile(s.config.Console, name); err != nil {
			return problem(fiber.StatusNotFound, "this program was built without its console: run `make build`")
		}
	}
	c.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "no-referrer")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'")
	if strings.HasPrefix(name, "assets/") {
		c.Set("Cache-Control", "public, max-age=31536000, immutable") // their names change with their contents
	} else {
		c.Set("Cache-Control", "no-cache")
	}
	return c.Send(text)
}
