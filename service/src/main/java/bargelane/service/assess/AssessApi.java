package bargelane.service.assess;

import bargelane.api.AcceptResult;
import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentAccept;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentComparison;
import bargelane.api.AssessmentView;
import bargelane.api.FitnessRulesAdd;
import bargelane.api.FitnessRulesView;
import bargelane.api.ImportResult;
import bargelane.api.MachineAssessment;
import bargelane.api.PriceBookAdd;
import bargelane.api.PriceBookView;
import bargelane.api.RevisionAdd;
import bargelane.api.WhatIfRequest;
import bargelane.api.WhatIfView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;

/** Endpoints of assessments, and of the prices and rules that they go by. */
public record AssessApi(
    Assessments assessments,
    Rows rows,
    Comparisons comparisons,
    SizeChoices sizes,
    WhatIfs whatIfs,
    CostRows costs,
    AssessmentReport report,
    PriceBooks books,
    FitnessRules rules)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    assessments(e);
    decisions(e);
    prices(e);
  }

  private void assessments(Endpoints e) {
    e.get("/assessments", "List assessments, the newest revision of each", Need.READ)
        .lists(AssessmentView.class, r -> assessments.list());
    e.post("/assessments", "Assess machines for a target, on both bases", Need.PLAN)
        .heavy()
        .takes(AssessmentAdd.class)
        .creates(AssessmentView.class, (r, b) -> assessments.add(b, r.by()));
    e.get("/assessments/{assessment}", "One revision in sum", Need.READ)
        .number("revision", 0, "its number; the newest if left out")
        .gives(
            AssessmentView.class,
            r -> assessments.view(r.path("assessment"), r.number("revision")));
    e.delete(
            "/assessments/{assessment}",
            "Remove an assessment whose sizes nobody accepted",
            Need.PLAN)
        .changes(r -> assessments.view(r.path("assessment"), 0))
        .does(r -> assessments.remove(r.path("assessment"), r.by()));
    e.get(
            "/assessments/{assessment}/revisions",
            "All revisions in sum, the newest first",
            Need.READ)
        .lists(AssessmentView.class, r -> assessments.revisions(r.path("assessment")));
    e.post(
            "/assessments/{assessment}/revisions",
            "Assess the same choice of machines anew, with other assumptions",
            Need.PLAN)
        .heavy()
        .takes(RevisionAdd.class)
        .creates(
            AssessmentView.class, (r, b) -> assessments.revise(r.path("assessment"), b, r.by()));
    e.get("/assessments/{assessment}/machines", "A page of a revision's machines", Need.READ)
        .number("revision", 0, "its number; the newest if left out")
        .query("verdict", "", "only those of a verdict")
        .query("reason", "", "only those with a finding")
        .query("name", "", "only those whose name holds this")
        .query("sort", "machine", "a column; -machine descends")
        .paged()
        .pages(
            AssessedRow.class,
            r ->
                rows.list(
                    r.path("assessment"),
                    r.number("revision"),
                    new Rows.Choice(
                        r.query("verdict"),
                        r.query("reason"),
                        r.query("name"),
                        r.query("sort"),
                        r.number("page"),
                        r.number("size"))));
    e.get(
            "/assessments/{assessment}/machines/{machine}",
            "One machine of a revision, with how every figure came about",
            Need.READ)
        .number("revision", 0, "its number; the newest if left out")
        .gives(
            AssessedMachineView.class,
            r -> rows.machine(r.path("assessment"), r.number("revision"), r.path("machine")));
  }

  private void decisions(Endpoints e) {
    e.get(
            "/machines/{machine}/assessments",
            "What the newest revisions say of a machine",
            Need.READ)
        .limited(Reach.MACHINE)
        .lists(MachineAssessment.class, r -> rows.ofMachine(r.path("machine")));
    e.get("/assessments/{assessment}/comparison", "Two revisions side by side", Need.READ)
        .heavy()
        .number("from", 0, "revision of this one; the newest if left out")
        .query("with", "", "another assessment; this one if left out")
        .number("to", 0, "revision of the other; the newest if left out")
        .query("basis", "observed", "configured or observed")
        .first(100)
        .gives(
            AssessmentComparison.class,
            r -> {
              String with = r.query("with").isEmpty() ? r.path("assessment") : r.query("with");
              return comparisons.compare(
                  new Comparisons.Side(r.path("assessment"), r.number("from")),
                  new Comparisons.Side(with, r.number("to")),
                  r.query("basis"),
                  r.number("size"));
            });
    e.post(
            "/assessments/{assessment}/accept",
            "Accept sizes of a revision: the gate 'sized'",
            Need.PLAN)
        .heavy()
        .takes(AssessmentAccept.class)
        .gives(AcceptResult.class, (r, b) -> sizes.accept(r.path("assessment"), b, r.by()));
    e.post(
            "/assessments/{assessment}/what-if",
            "Cost and machines above their size for a grid of choices",
            Need.PLAN)
        .heavy()
        .takes(WhatIfRequest.class)
        .gives(WhatIfView.class, (r, b) -> whatIfs.compute(r.path("assessment"), b));
    e.get("/assessments/{assessment}/costs", "Every line of cost as CSV", Need.READ)
        .heavy()
        .number("revision", 0, "its number; the newest if left out")
        .query("basis", "observed", "configured or observed")
        .query("form", "own", "own columns, or focus: those of FOCUS 1.0")
        .document(
            r ->
                new Endpoints.Document(
                    "text/csv; charset=utf-8",
                    costs.csv(
                        r.path("assessment"),
                        r.number("revision"),
                        r.query("basis"),
                        r.query("form"))));
    e.get(
            "/assessments/{assessment}/report",
            "A revision as one page to print or to send",
            Need.READ)
        .heavy()
        .number("revision", 0, "its number; the newest if left out")
        .document(
            r ->
                new Endpoints.Document(
                    "text/html; charset=utf-8",
                    report.html(r.path("assessment"), r.number("revision"))));
  }

  private void prices(Endpoints e) {
    e.get("/price-books", "List price books", Need.READ)
        .lists(PriceBookView.class, r -> books.list());
    e.post("/price-books", "Import a price book, whole or not at all", Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(PriceBookAdd.class)
        .gives(ImportResult.class, (r, b) -> books.add(b, r.by()));
    e.get("/price-books/{book}", "One price book with its prices", Need.READ)
        .gives(PriceBookView.class, r -> books.view(r.path("book")));
    e.delete(
            "/price-books/{book}",
            "Remove a price book; assessments keep the prices that they went by",
            Need.PLAN)
        .changes(r -> books.view(r.path("book")))
        .does(r -> books.remove(r.path("book"), r.by()));
    e.get("/fitness-rules", "The rules of fitness", Need.READ)
        .lists(FitnessRulesView.class, r -> rules.list());
    e.post("/fitness-rules", "Give rules of the house", Need.PLAN)
        .takes(FitnessRulesAdd.class)
        .gives(FitnessRulesView.class, (r, b) -> rules.add(b, r.by()));
    e.delete("/fitness-rules/{name}", "Remove rules of the house", Need.PLAN)
        .changes(r -> rules.view(r.path("name")))
        .does(r -> rules.remove(r.path("name"), r.by()));
  }
}
