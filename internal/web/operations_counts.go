package web

import (
	"context"
	"net/http"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/elevation"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/report"
	"wobin/internal/desk/safety"
	"wobin/internal/desk/variances"
)

// registerCounts registers what is done with counts, with people and with the records as a whole.
func (s *Server) registerCounts() {
	d := s.desk
	op(s, "tally", http.MethodPost, "/api/plan/tally", "What a scope comes to", func(ctx context.Context, p desk.Person, in *struct {
		Body struct {
			Scope count.Scope `json:"scope"`
			plan.Cut
		}
	}) (plan.Tally, error) {
		return d.Plan.Tally(ctx, p, in.Body.Scope, in.Body.Cut)
	})
	op(s, "freeze", http.MethodPost, "/api/counts", "Freeze a scope and cut its sheets",
		func(ctx context.Context, p desk.Person, in *body[plan.NewCount]) (plan.CountMade, error) {
			return d.Plan.Freeze(ctx, p, in.Body)
		})
	op(s, "scopes", http.MethodGet, "/api/scopes", "Scopes that were kept with a name",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]plan.KeptScope, error) {
			return d.Plan.KeptScopes(ctx, p)
		})
	op(s, "keepScope", http.MethodPost, "/api/scopes", "Keep a scope with a name",
		func(ctx context.Context, p desk.Person, in *struct {
			Body struct {
				Name  string      `json:"name" minLength:"1" maxLength:"120"`
				Scope count.Scope `json:"scope"`
			}
		}) (done, error) {
			return done{true}, d.Plan.KeepScope(ctx, p, in.Body.Name, in.Body.Scope)
		})
	op(s, "dropScope", http.MethodPost, "/api/scopes/{scope}/drop", "Take a kept scope away",
		func(ctx context.Context, p desk.Person, in *struct {
			Scope int64 `path:"scope"`
		}) (done, error) {
			return done{true}, d.Plan.DropScope(ctx, p, in.Scope)
		})
	op(s, "rotation", http.MethodGet, "/api/rotation/{warehouse}", "How often lines are counted a year, and today's portion of it",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
		}) (plan.RotationView, error) {
			return d.Plan.Rotation(ctx, p, in.Warehouse)
		})
	op(s, "setRotation", http.MethodPost, "/api/rotation/{warehouse}", "Say how often lines are counted a year",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
			Body      plan.Rotation
		}) (done, error) {
			return done{true}, d.Plan.SetRotation(ctx, p, in.Warehouse, &in.Body)
		})
	op(s, "endRotation", http.MethodPost, "/api/rotation/{warehouse}/end", "Count no more in rotation",
		func(ctx context.Context, p desk.Person, in *struct {
			Warehouse int64 `path:"warehouse"`
		}) (done, error) {
			return done{true}, d.Plan.SetRotation(ctx, p, in.Warehouse, nil)
		})
	op(s, "cutOff", http.MethodGet, "/api/counts/{count}/cut-off", "What was on its way when a count was frozen",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]count.CutOff, error) {
			return d.Plan.CutOff(ctx, p, in.Count)
		})
	op(s, "addCutOff", http.MethodPost, "/api/counts/{count}/cut-off", "Note something that was on its way",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.CutOffEntry
		}) (done, error) {
			return done{true}, d.Plan.AddCutOff(ctx, p, in.Count, in.Body)
		})
	op(s, "withdrawCutOff", http.MethodPost, "/api/counts/{count}/cut-off/{entry}/withdraw", "Take an entry of the cut-off list back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Entry int64 `path:"entry"`
		}) (done, error) {
			return done{true}, d.Plan.WithdrawCutOff(ctx, p, in.Count, in.Entry)
		})
	op(s, "count", http.MethodGet, "/api/counts/{count}", "A count with the figures of its stages",
		func(ctx context.Context, p desk.Person, in *CountPath) (count.Stages, error) {
			return d.Today.Count(ctx, p, in.Count)
		})
	op(s, "countBins", http.MethodGet, "/api/counts/{count}/bins", "The tallies per bin that is drawn",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			AtQuery
		}) ([]elevation.BinState, error) {
			return d.Elevation.CountBins(ctx, p, in.Count, in.At)
		})
	op(s, "sheets", http.MethodGet, "/api/counts/{count}/sheets", "The sheets of a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			After string `query:"after" maxLength:"20"`
			Limit int    `query:"limit" maximum:"1000"`
		}) (counting.SheetPage, error) {
			return d.Counting.Sheets(ctx, p, in.Count, in.After, in.Limit)
		})
	op(s, "returns", http.MethodGet, "/api/counts/{count}/returns", "The files of counts that were taken in",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]counting.ReturnView, error) {
			return d.Counting.Returns(ctx, p, in.Count)
		})
	op(s, "undoReturn", http.MethodPost, "/api/counts/{count}/returns/{return}/undo", "Take a file of counts back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Return int64 `path:"return"`
		}) (done, error) {
			return done{true}, d.Counting.UndoReturn(ctx, p, in.Count, in.Return)
		})
	op(s, "tray", http.MethodGet, "/api/counts/{count}/tray", "What came back and could not be taken as a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Settled bool   `query:"settled" doc:"what was settled, in place of what waits"`
			After   string `query:"after"`
		}) (counting.Tray, error) {
			return d.Counting.Tray(ctx, p, in.Count, in.Settled, in.After)
		})
	op(s, "noteDoubt", http.MethodPost, "/api/counts/{count}/tray", "Put something that is not understood into the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string        `json:"key" minLength:"8" doc:"of the client's making; a repeat puts nothing twice"`
				Sheet   int           `json:"sheet" doc:"number of the sheet that it is written on"`
				Written count.Written `json:"written"`
				Wrong   string        `json:"wrong" maxLength:"1000" doc:"what is wrong with it"`
			}
		}) (done, error) {
			return done{true}, d.Counting.NoteDoubt(ctx, p, in.Body.Key, in.Count, in.Body.Sheet, in.Body.Written, in.Body.Wrong)
		})
	op(s, "enterDoubt", http.MethodPost, "/api/counts/{count}/tray/{doubt}/enter", "Enter what waits in the tray as a count",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Doubt int64 `path:"doubt"`
			Body  struct {
				Zone  string         `json:"zone"`
				Entry counting.Typed `json:"entry"`
			}
		}) (count.TakenIn, error) {
			return d.Counting.EnterDoubt(ctx, p, in.Count, in.Doubt, in.Body.Zone, in.Body.Entry)
		})
	op(s, "dropDoubts", http.MethodPost, "/api/counts/{count}/tray/drop", "Take what is no count out of the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Doubts []int64 `json:"doubts" minItems:"1" maxItems:"500"`
				Word   string  `json:"word" maxLength:"500" doc:"why it is no count"`
			}
		}) (done, error) {
			return done{true}, d.Counting.DropDoubts(ctx, p, in.Count, in.Body.Doubts, in.Body.Word)
		})
	op(s, "takeUpDoubt", http.MethodPost, "/api/counts/{count}/tray/{doubt}/take-up", "Put what was dropped back into the tray",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Doubt int64 `path:"doubt"`
		}) (done, error) {
			return done{true}, d.Counting.TakeUpDoubt(ctx, p, in.Count, in.Doubt)
		})
	op(s, "withdrawEntry", http.MethodPost, "/api/counts/{count}/lines/{pos}/withdraw", "Take one standing count of a line back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Entry int64 `json:"entry"`
			}
		}) (done, error) {
			return done{true}, d.Counting.WithdrawEntry(ctx, p, in.Count, in.Pos, in.Body.Entry)
		})
	op(s, "seeUncounted", http.MethodPost, "/api/counts/{count}/uncounted", "What it would come to that uncounted means zero",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body count.UncountedPart
		}) (variances.Uncounted, error) {
			return d.Variances.SeeUncounted(ctx, p, in.Count, in.Body)
		})
	op(s, "setZero", http.MethodPost, "/api/counts/{count}/zero", "Settle that uncounted means zero, or take that back",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				count.UncountedPart
				Zero   bool `json:"zero"`
				Expect int  `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (variances.Decided, error) {
			return d.Variances.SetZero(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Zero, in.Body.Expect)
		})
	op(
		s,
		"recountUncounted",
		http.MethodPost,
		"/api/counts/{count}/uncounted/recount",
		"Give uncounted lines out again, on sheets of their own",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				count.UncountedPart
				Expect int `json:"expect" doc:"the number of lines that the person saw"`
			}
		}) (plan.AgainMade, error) {
			return d.Plan.RecountUncounted(ctx, p, in.Count, in.Body.UncountedPart, in.Body.Expect)
		},
	)
	op(s, "handOut", http.MethodPost, "/api/counts/{count}/hand-out", "Note who has sheets",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body counting.Handing
		}) (done, error) {
			return done{true}, d.Counting.HandOut(ctx, p, in.Count, in.Body)
		})
	op(s, "takeBack", http.MethodPost, "/api/counts/{count}/take-back", "Note that sheets are back, or out again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
				Back   bool  `json:"back"`
			}
		}) (done, error) {
			return done{true}, d.Counting.TakeBack(ctx, p, in.Count, in.Body.Sheets, in.Body.Back)
		})
	op(s, "cutAnew", http.MethodPost, "/api/counts/{count}/cut-anew", "Cut sheets that are with us anew",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.Recut
		}) (sheetsMade, error) {
			made, err := d.Plan.CutAnew(ctx, p, in.Count, in.Body)
			return sheetsMade{made}, err
		})
	op(s, "seeMore", http.MethodPost, "/api/counts/{count}/more/tally", "What lines a running count would be given",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.More
		}) (plan.Extension, error) {
			return d.Plan.SeeMore(ctx, p, in.Count, in.Body)
		})
	op(s, "addMore", http.MethodPost, "/api/counts/{count}/more", "Give a running count lines that it has not",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.More
		}) (plan.Extension, error) {
			return d.Plan.AddMore(ctx, p, in.Count, in.Body)
		})
	op(
		s,
		"letGo",
		http.MethodPost,
		"/api/counts/{count}/let-go",
		"Let lines of sheets go, of which nothing is counted, or take them up again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
				Again  bool  `json:"again,omitempty" doc:"take them up again"`
			}
		}) (done, error) {
			if in.Body.Again {
				return done{true}, d.Plan.TakeUp(ctx, p, in.Count, in.Body.Sheets)
			}
			return done{true}, d.Plan.LetGo(ctx, p, in.Count, in.Body.Sheets)
		},
	)
	op(s, "sheetBins", http.MethodGet, "/api/counts/{count}/sheets/{number}/bins", "The bins of a sheet in walking order",
		func(ctx context.Context, p desk.Person, in *SheetPath) ([]plan.BinOfSheet, error) {
			return d.Plan.SheetBins(ctx, p, in.Count, in.Number)
		})
	op(s, "part", http.MethodPost, "/api/counts/{count}/sheets/{number}/part", "Part a sheet, wherever it is",
		func(ctx context.Context, p desk.Person, in *struct {
			SheetPath
			Body struct {
				From    string `json:"from" doc:"the first bin of the new sheet"`
				Counter string `json:"counter,omitempty" maxLength:"120" doc:"who gets it; left out: it is with us"`
			}
		}) (sheetsMade, error) {
			made, err := d.Plan.Part(ctx, p, in.Count, in.Number, in.Body.From, in.Body.Counter)
			return sheetsMade{[]int{made}}, err
		})
	op(s, "checkSheet", http.MethodPost, "/api/counts/{count}/sheets/{number}/check", "Hold a second typing of a sheet against what stands",
		func(ctx context.Context, p desk.Person, in *struct {
			SheetPath
			Body struct {
				Rows []counting.Twice `json:"rows" maxItems:"5000"`
			}
		}) (counting.Checked, error) {
			return d.Counting.Check(ctx, p, in.Count, in.Number, in.Body.Rows)
		})
	op(s, "rounds", http.MethodGet, "/api/counts/{count}/rounds", "Lines of which two rounds do not say the same yet",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Once  bool   `query:"once" doc:"those that one round has not counted yet, in place of those that differ"`
			After string `query:"after"`
		}) (counting.RoundPage, error) {
			return d.Counting.Differing(ctx, p, in.Count, in.Once, in.After)
		})
	op(s, "lanes", http.MethodGet, "/api/counts/{count}/lanes", "Who counts, and when they are likely to be done",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]counting.Lane, error) {
			return d.Counting.Lanes(ctx, p, in.Count)
		})
	op(s, "countLines", http.MethodGet, "/api/counts/{count}/lines", "The lines of a count in walking order",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (count.VariancePage, error) {
			return d.Counting.CountLines(ctx, p, in.Count, in.filter())
		})
	op(s, "findRow", http.MethodGet, "/api/counts/{count}/find", "Find the row that a typed or scanned text means",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Sheet int    `query:"sheet" doc:"the sheet in hand, whose rows go first"`
			Text  string `query:"text" maxLength:"200"`
		}) (counting.FoundRow, error) {
			return d.Counting.FindRow(ctx, p, in.Count, in.Sheet, in.Text)
		})
	op(s, "typeIn", http.MethodPost, "/api/counts/{count}/entries", "Take counts typed at the desk",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Key     string           `json:"key" minLength:"8"`
				Zone    string           `json:"zone,omitempty"`
				Entries []counting.Typed `json:"entries" minItems:"1" maxItems:"1000"`
			}
		}) (count.TakenIn, error) {
			return d.Counting.TypeIn(ctx, p, in.Count, in.Body.Key, in.Body.Zone, in.Body.Entries)
		})
	op(s, "variances", http.MethodGet, "/api/counts/{count}/variances", "The variances, ranked by what is at stake",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (count.VariancePage, error) {
			return d.Variances.Variances(ctx, p, in.Count, in.filter())
		})
	op(s, "history", http.MethodGet, "/api/counts/{count}/lines/{pos}", "What happened to a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos int64 `path:"pos"`
		}) (variances.LineHistory, error) {
			return d.Variances.History(ctx, p, in.Count, in.Pos)
		})
	op(s, "decide", http.MethodPost, "/api/counts/{count}/decisions", "Accept or hold lines",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body variances.Decisions
		}) (variances.Decided, error) {
			return d.Variances.DecideAs(ctx, p, in.Count, in.Body)
		})
	op(s, "filtered", http.MethodGet, "/api/counts/{count}/variances/filtered", "What a filter of the variances holds",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (variances.FilterTally, error) {
			return d.Variances.Filtered(ctx, p, in.Count, in.filter())
		})
	op(s, "varianceGroups", http.MethodGet, "/api/counts/{count}/variances/groups", "The groups of what a filter of the variances holds",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			FilterQuery
		}) (variances.QueueGroups, error) {
			return d.Variances.Groups(ctx, p, in.Count, in.filter())
		})
	op(s, "newer", http.MethodGet, "/api/counts/{count}/newer", "What newer stock says of the lines, where no movement explains it",
		func(ctx context.Context, p desk.Person, in *CountPath) (variances.Newer, error) {
			return d.Variances.Newer(ctx, p, in.Count)
		})
	op(s, "note", http.MethodPost, "/api/counts/{count}/lines/{pos}/notes", "Note something of a line",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Text string `json:"text" minLength:"1" maxLength:"2000"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AddNote(ctx, p, in.Count, in.Pos, in.Body.Text)
		})
	op(s, "recostLines", http.MethodPost, "/api/counts/{count}/costs", "Correct what a unit of lines costs, without touching their quantities",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body variances.Costing
		}) (done, error) {
			return done{true}, d.Variances.Recost(ctx, p, in.Count, in.Body)
		})
	op(s, "chooseRound", http.MethodPost, "/api/counts/{count}/lines/{pos}/round", "Let one of the rounds of a line stand",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Round int `json:"round" minimum:"0" doc:"0: as the rule of the count says"`
			}
		}) (done, error) {
			return done{true}, d.Variances.ChooseRound(ctx, p, in.Count, in.Pos, in.Body.Round)
		})
	op(s, "keepStands", http.MethodPost, "/api/counts/{count}/stands", "Say which of several rounds of a line stands",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Stands string `json:"stands" enum:",agree,choose"`
			}
		}) (done, error) {
			return done{true}, d.Variances.KeepStands(ctx, p, in.Count, in.Body.Stands)
		})
	op(s, "rules", http.MethodGet, "/api/rules", "The rules that decide by themselves",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]variances.RuleView, error) {
			return d.Variances.Rules(ctx, p)
		})
	op(s, "keepRule", http.MethodPut, "/api/rules", "Keep a rule, or change one that is off",
		func(ctx context.Context, p desk.Person, in *body[variances.RuleView]) (struct {
			ID int64 `json:"id"`
		}, error) {
			id, err := d.Variances.KeepRule(ctx, p, in.Body)
			return struct {
				ID int64 `json:"id"`
			}{id}, err
		})
	op(s, "tryRule", http.MethodPost, "/api/rules/try", "What a rule would have decided in the last counts",
		func(ctx context.Context, p desk.Person, in *body[variances.RuleView]) (variances.RuleTrial, error) {
			return d.Variances.TryRule(ctx, p, in.Body)
		})
	op(s, "turnRule", http.MethodPost, "/api/rules/{rule}/turn", "Turn a rule on after its trial, or off",
		func(ctx context.Context, p desk.Person, in *struct {
			Rule int64 `path:"rule"`
			Body variances.TurningRule
		}) (done, error) {
			return done{true}, d.Variances.TurnRule(ctx, p, in.Rule, in.Body)
		})
	op(s, "dropRule", http.MethodDelete, "/api/rules/{rule}", "Let go of a rule that is off",
		func(ctx context.Context, p desk.Person, in *struct {
			Rule int64 `path:"rule"`
		}) (done, error) {
			return done{true}, d.Variances.DropRule(ctx, p, in.Rule)
		})
	op(s, "reopen", http.MethodPost, "/api/counts/{count}/reopen", "Open a finished count again of which nothing went out",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Reason string `json:"reason" minLength:"1" maxLength:"500"`
			}
		}) (done, error) {
			return done{true}, d.Adjustments.Reopen(ctx, p, in.Count, in.Body.Reason)
		})
	op(s, "causes", http.MethodGet, "/api/counts/{count}/causes", "Why the variances are likely there",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]variances.CauseTally, error) {
			return d.Variances.Causes(ctx, p, in.Count)
		})
	op(
		s,
		"acceptCause",
		http.MethodPost,
		"/api/counts/{count}/lines/{pos}/cause",
		"Accept the likely cause of a variance, and do what it asks for",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body variances.Accepting
		}) (variances.Decided, error) {
			return d.Variances.AcceptCause(ctx, p, in.Count, in.Pos, in.Body)
		},
	)
	op(s, "acceptStrong", http.MethodPost, "/api/counts/{count}/causes/{cause}/accept", "Accept all strong explanations of a cause at once",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Cause string `path:"cause"`
			Body  struct {
				Expect int `json:"expect" doc:"how many were seen"`
			}
		}) (variances.Decided, error) {
			return d.Variances.AcceptStrong(ctx, p, in.Count, in.Cause, in.Body.Expect)
		})
	op(s, "asBooked", http.MethodPost, "/api/counts/{count}/lines/{pos}/as-booked", "Let a movement have happened when it was booked again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Pos  int64 `path:"pos"`
			Body struct {
				Movement int64 `json:"movement"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AsBooked(ctx, p, in.Count, in.Pos, in.Body.Movement)
		})
	op(s, "recount", http.MethodPost, "/api/counts/{count}/recount", "Make sheets of lines that are counted again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body plan.Again
		}) (plan.AgainMade, error) {
			return d.Plan.Recount(ctx, p, in.Count, in.Body)
		})
	op(s, "dropRecount", http.MethodPost, "/api/counts/{count}/recount/drop", "Take sheets of a recount away of which nothing was counted",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Sheets []int `json:"sheets" minItems:"1" maxItems:"5000"`
			}
		}) (done, error) {
			return done{true}, d.Plan.DropRecount(ctx, p, in.Count, in.Body.Sheets)
		})
	op(s, "classes", http.MethodGet, "/api/classes", "The classes that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Plan.Classes(ctx, p)
		})
	op(s, "categories", http.MethodGet, "/api/categories", "The categories that items have",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]string, error) {
			return d.Plan.Categories(ctx, p)
		})
	op(s, "reasons", http.MethodGet, "/api/reasons", "The reason codes",
		func(ctx context.Context, p desk.Person, _ *struct{}) ([]variances.ReasonView, error) {
			return d.Variances.Reasons(ctx, p)
		})
	op(s, "keepReason", http.MethodPut, "/api/reasons", "Add a reason of one's own, or change one",
		func(ctx context.Context, p desk.Person, in *body[variances.ReasonView]) (done, error) {
			return done{true}, d.Variances.KeepReason(ctx, p, in.Body)
		})
	op(s, "habits", http.MethodGet, "/api/counts/{count}/habits", "What comes back over the last counts of a warehouse",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Habits, error) {
			return d.Report.Habits(ctx, p, in.Count)
		})
	op(s, "postings", http.MethodGet, "/api/counts/{count}/postings", "The postings of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]adjustments.PostingView, error) {
			return d.Adjustments.Postings(ctx, p, in.Count)
		})
	op(s, "previewPosting", http.MethodPost, "/api/counts/{count}/postings/preview", "The files of the accepted lines before they are made",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Going
		}) (adjustments.PostingPreview, error) {
			return d.Adjustments.Preview(ctx, p, in.Count, in.Body)
		})
	op(s, "post", http.MethodPost, "/api/counts/{count}/postings", "Send accepted lines out as a posting, or ask somebody to agree to it",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Sending
		}) (adjustments.Sent, error) {
			return d.Adjustments.Send(ctx, p, in.Count, in.Body)
		})
	op(
		s,
		"reversePosting",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/reverse",
		"Take a posting back by one that says the opposite",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
			Body   struct {
				Key string `json:"key" minLength:"8"`
			}
		}) (adjustments.PostingView, error) {
			return d.Adjustments.Reverse(ctx, p, in.Count, in.Number, in.Body.Key)
		},
	)
	op(s, "proof", http.MethodGet, "/api/counts/{count}/proof", "What became of the postings of a count in the records",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]adjustments.PostingProof, error) {
			return d.Adjustments.Proof(ctx, p, in.Count)
		})
	op(
		s,
		"unlanded",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/missing",
		"Note that lines of a posting are missing in the records, and open them again",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
			Body   struct {
				Key    string `json:"key" minLength:"8"`
				Expect int    `json:"expect"`
			}
		}) (adjustments.PostingView, error) {
			return d.Adjustments.Unlanded(ctx, p, in.Count, in.Number, in.Body.Expect, in.Body.Key)
		},
	)
	op(
		s,
		"deliverPosting",
		http.MethodPost,
		"/api/counts/{count}/postings/{number}/folder",
		"Write the files of a posting into the folder for files out",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Number int `path:"number"`
		}) (done, error) {
			return done{true}, d.Adjustments.Deliver(ctx, p, in.Count, in.Number)
		},
	)
	op(s, "sentElsewhere", http.MethodGet, "/api/counts/{count}/elsewhere",
		"What other counts sent out of the lines of a count since its stock was recorded",
		func(ctx context.Context, p desk.Person, in *CountPath) ([]count.Elsewhere, error) {
			return d.Variances.Elsewhere(ctx, p, in.Count)
		})
	op(s, "answerElsewhere", http.MethodPost, "/api/counts/{count}/elsewhere",
		"Say whether the records had postings of other counts, or still take them in",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body struct {
				Postings []int64 `json:"postings" minItems:"1" maxItems:"1000"`
				Answer   string  `json:"answer" enum:"had,takes"`
			}
		}) (done, error) {
			return done{true}, d.Variances.AnswerElsewhere(ctx, p, in.Count, in.Body.Postings, in.Body.Answer)
		})
	op(s, "approvals", http.MethodGet, "/api/approvals", "Postings that wait for somebody to agree",
		func(ctx context.Context, p desk.Person, in *struct {
			Count int64 `query:"count" doc:"of this count, those that are settled, too; 0: what waits anywhere"`
		}) ([]adjustments.ApprovalView, error) {
			return d.Adjustments.Approvals(ctx, p, in.Count)
		})
	op(s, "answerApproval", http.MethodPost, "/api/approvals/{approval}", "Agree to a posting, or send it back",
		func(ctx context.Context, p desk.Person, in *struct {
			Approval int64 `path:"approval"`
			Body     adjustments.Answering
		}) (adjustments.Sent, error) {
			return d.Adjustments.Answer(ctx, p, in.Approval, in.Body)
		})
	op(s, "agreement", http.MethodGet, "/api/agreement", "When somebody else has to agree to a posting",
		func(ctx context.Context, p desk.Person, _ *struct{}) (adjustments.Agreement, error) {
			return d.Adjustments.Agreement(ctx, p)
		})
	op(s, "keepAgreement", http.MethodPut, "/api/agreement", "Settle when somebody else has to agree to a posting",
		func(ctx context.Context, p desk.Person, in *body[adjustments.Agreement]) (done, error) {
			return done{true}, d.Adjustments.KeepAgreement(ctx, p, in.Body)
		})
	op(s, "outLayouts", http.MethodGet, "/api/out-layouts", "The layouts of files out, and the fields of their columns",
		func(ctx context.Context, p desk.Person, _ *struct{}) (adjustments.OutLayouts, error) {
			return d.Adjustments.Layouts(ctx, p)
		})
	op(s, "keepOutLayout", http.MethodPut, "/api/out-layouts", "Keep a layout of files out under its name",
		func(ctx context.Context, p desk.Person, in *body[adjustments.OutLayout]) (done, error) {
			return done{true}, d.Adjustments.KeepLayout(ctx, p, in.Body)
		})
	op(s, "dropOutLayout", http.MethodDelete, "/api/out-layouts/{name}", "Let go of a layout of files out",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name"`
		}) (done, error) {
			return done{true}, d.Adjustments.DropLayout(ctx, p, in.Name)
		})
	op(s, "report", http.MethodGet, "/api/counts/{count}/report", "The figures of a count",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Report, error) {
			return d.Report.Report(ctx, p, in.Count)
		})
	op(s, "together", http.MethodGet, "/api/counts/{count}/together", "The counts that stand under one name with a count, and all of them",
		func(ctx context.Context, p desk.Person, in *CountPath) (report.Together, error) {
			return d.Report.Together(ctx, p, in.Count)
		})
	op(s, "finish", http.MethodPost, "/api/counts/{count}/finish", "End a count for good",
		func(ctx context.Context, p desk.Person, in *struct {
			CountPath
			Body adjustments.Left
		}) (done, error) {
			return done{true}, d.Adjustments.Finish(ctx, p, in.Count, in.Body)
		})
	op(s, "backups", http.MethodGet, "/api/backups", "The backups in the folder",
		func(_ context.Context, p desk.Person, _ *struct{}) ([]safety.BackupView, error) {
			return d.Safety.Backups(p)
		})
	op(s, "backUp", http.MethodPost, "/api/backups", "Make a backup now",
		func(ctx context.Context, p desk.Person, _ *struct{}) (safety.BackupView, error) {
			return d.Safety.BackUp(ctx, p)
		})
	op(s, "seeRestore", http.MethodGet, "/api/backups/{name}", "What putting a backup back takes away",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
		}) (safety.TakesBack, error) {
			return d.Safety.SeeRestore(ctx, p, in.Name)
		})
	op(s, "restore", http.MethodPost, "/api/backups/{name}/restore", "Put a backup in the place of the records",
		func(ctx context.Context, p desk.Person, in *struct {
			Name string `path:"name" maxLength:"200"`
			Body struct {
				Agreed int `json:"agreed" doc:"how many things it takes back, as the person saw"`
			}
		}) (done, error) {
			return done{true}, d.Safety.Restore(ctx, p, in.Name, in.Body.Agreed)
		})
	op(s, "verify", http.MethodPost, "/api/record/verify", "Prove the record of who did what",
		func(ctx context.Context, p desk.Person, _ *struct{}) (safety.Proof, error) {
			return d.Safety.Verify(ctx, p)
		})
}

// SheetPath names a sheet of a count.
type SheetPath struct {
	CountPath
	Number int `path:"number"`
}

// sheetsMade are the numbers of sheets that were made.
type sheetsMade struct {
	Made []int `json:"made"`
}
