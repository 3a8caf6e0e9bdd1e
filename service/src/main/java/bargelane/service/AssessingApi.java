package bargelane.service;

import bargelane.api.*;
import bargelane.service.assess.AssessmentReport;
import bargelane.service.assess.Assessments;
import bargelane.service.assess.Comparisons;
import bargelane.service.assess.CostRows;
import bargelane.service.assess.FitnessRules;
import bargelane.service.assess.PriceBooks;
import bargelane.service.assess.Rows;
import bargelane.service.assess.SizeChoices;
import bargelane.service.assess.WhatIfs;
import bargelane.service.http.Endpoints;

/** Endpoints of assessments, and of the prices and rules that they go by. */
record AssessingApi(
    Assessments assessments,
    Rows rows,
    Comparisons comparisons,
    SizeChoices sizes,
    WhatIfs whatIfs,
    CostRows costs,
    AssessmentReport report,
    PriceBooks books,
    FitnessRules rules) {

  void add(Endpoints e) {
    assessments(e);
    decisions(e);
    prices(e);
  }

  private void assessments(Endpoints e) {
    e.add(
        "GET",
        "/assessments",
        200,
        "List assessments, the newest revision of each",
        Void.class,
        AssessmentView.class,
        true,
        r -> assessments.list());
    e.add(
        "POST",
        "/assessments",
        201,
        "Assess machines for a target, on both bases",
        AssessmentAdd.class,
        AssessmentView.class,
        false,
        r -> assessments.add(r.body(AssessmentAdd.class), r.caller().account()));
    e.add(
        "GET",
        "/assessments/{assessment}",
        200,
        "One revision in sum (?revision=; the newest if left out)",
        Void.class,
        AssessmentView.class,
        false,
        r -> assessments.view(r.path("assessment"), r.number("revision", 0)));
    e.add(
        "DELETE",
        "/assessments/{assessment}",
        204,
        "Remove an assessment whose sizes nobody accepted",
        Void.class,
        Void.class,
        false,
        r -> {
          assessments.remove(r.path("assessment"), r.caller().account());
          return null;
        });
    e.add(
        "GET",
        "/assessments/{assessment}/revisions",
        200,
        "All revisions in sum, the newest first",
        Void.class,
        AssessmentView.class,
        true,
        r -> assessments.revisions(r.path("assessment")));
    e.add(
        "POST",
        "/assessments/{assessment}/revisions",
        201,
        "Assess the same choice of machines anew, with other assumptions",
        RevisionAdd.class,
        AssessmentView.class,
        false,
        r ->
            assessments.revise(
                r.path("assessment"), r.body(RevisionAdd.class), r.caller().account()));
    e.add(
        "GET",
        "/assessments/{assessment}/machines",
        200,
        "A page of a revision's machines (?revision=&verdict=&reason=&name=&sort=&page=&size=)",
        Void.class,
        Page.class,
        false,
        r ->
            rows.list(
                r.path("assessment"),
                r.number("revision", 0),
                new Rows.Choice(
                    r.query("verdict"),
                    r.query("reason"),
                    r.query("name"),
                    r.query("sort").isEmpty() ? "machine" : r.query("sort"),
                    r.number("page", 0),
                    r.number("size", 50))));
    e.add(
        "GET",
        "/assessments/{assessment}/machines/{machine}",
        200,
        "One machine of a revision, with how every figure came about",
        Void.class,
        AssessedMachineView.class,
        false,
        r -> rows.machine(r.path("assessment"), r.number("revision", 0), r.path("machine")));
  }

  private void decisions(Endpoints e) {
    e.add(
        "GET",
        "/machines/{machine}/assessments",
        200,
        "What the newest revisions say of a machine",
        Void.class,
        MachineAssessment.class,
        true,
        r -> rows.ofMachine(r.path("machine")));
    e.add(
        "GET",
        "/assessments/{assessment}/comparison",
        200,
        "Two revisions side by side (?from=&to=&with=&basis=&size=)",
        Void.class,
        AssessmentComparison.class,
        false,
        r -> {
          String with = r.query("with").isEmpty() ? r.path("assessment") : r.query("with");
          return comparisons.compare(
              new Comparisons.Side(r.path("assessment"), r.number("from", 0)),
              new Comparisons.Side(with, r.number("to", 0)),
              r.query("basis").isEmpty() ? "observed" : r.query("basis"),
              r.number("size", 100));
        });
    e.add(
        "POST",
        "/assessments/{assessment}/accept",
        200,
        "Accept sizes of a revision: the gate 'sized'",
        AssessmentAccept.class,
        AcceptResult.class,
        false,
        r ->
            sizes.accept(
                r.path("assessment"), r.body(AssessmentAccept.class), r.caller().account()));
    e.add(
        "POST",
        "/assessments/{assessment}/what-if",
        200,
        "Cost and machines above their size for a grid of choices",
        WhatIfRequest.class,
        WhatIfView.class,
        false,
        r -> whatIfs.compute(r.path("assessment"), r.body(WhatIfRequest.class)));
    e.add(
        "GET",
        "/assessments/{assessment}/costs",
        200,
        "Every line of cost as CSV (?revision=&basis=&form=own|focus)",
        Void.class,
        Endpoints.Document.class,
        false,
        r ->
            new Endpoints.Document(
                "text/csv; charset=utf-8",
                costs.csv(
                    r.path("assessment"),
                    r.number("revision", 0),
                    r.query("basis").isEmpty() ? "observed" : r.query("basis"),
                    r.query("form").isEmpty() ? "own" : r.query("form"))));
    e.add(
        "GET",
        "/assessments/{assessment}/report",
        200,
        "A revision as one page to print or to send (?revision=)",
        Void.class,
        Endpoints.Document.class,
        false,
        r ->
            new Endpoints.Document(
                "text/html; charset=utf-8",
                report.html(r.path("assessment"), r.number("revision", 0))));
  }

  private void prices(Endpoints e) {
    e.add(
        "GET",
        "/price-books",
        200,
        "List price books",
        Void.class,
        PriceBookView.class,
        true,
        r -> books.list());
    e.add(
        "POST",
        "/price-books",
        200,
        "Take a price book over, whole or not at all",
        PriceBookAdd.class,
        ImportResult.class,
        false,
        r -> books.add(r.body(PriceBookAdd.class), r.caller().account()));
    e.add(
        "GET",
        "/price-books/{book}",
        200,
        "One price book with its prices",
        Void.class,
        PriceBookView.class,
        false,
        r -> books.view(r.path("book")));
    e.add(
        "DELETE",
        "/price-books/{book}",
        204,
        "Remove a price book; assessments keep the prices that they went by",
        Void.class,
        Void.class,
        false,
        r -> {
          books.remove(r.path("book"), r.caller().account());
          return null;
        });
    e.add(
        "GET",
        "/fitness-rules",
        200,
        "The rules of fitness",
        Void.class,
        FitnessRulesView.class,
        true,
        r -> rules.list());
    e.add(
        "POST",
        "/fitness-rules",
        200,
        "Give rules of the house",
        FitnessRulesAdd.class,
        FitnessRulesView.class,
        false,
        r -> rules.add(r.body(FitnessRulesAdd.class), r.caller().account()));
    e.add(
        "DELETE",
        "/fitness-rules/{name}",
        204,
        "Remove rules of the house",
        Void.class,
        Void.class,
        false,
        r -> {
          rules.remove(r.path("name"), r.caller().account());
          return null;
        });
  }
}
