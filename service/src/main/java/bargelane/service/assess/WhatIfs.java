package bargelane.service.assess;

import bargelane.api.WhatIfRequest;
import bargelane.api.WhatIfView;
import bargelane.api.WhatIfView.PointView;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Commitment;
import bargelane.core.assess.WhatIf;
import bargelane.service.platform.Db;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;

/** Grids of choices over the machines of a revision, by what is known of them now. */
public final class WhatIfs {

  private static final int MOST = 1000;

  private final Db db;
  private final Assessments assessments;

  public WhatIfs(Db db, Assessments assessments) {
    this.db = db;
    this.assessments = assessments;
  }

  public WhatIfView compute(String ref, WhatIfRequest asked) {
    Assessments.Basics basics =
        db.tx(s -> assessments.again(s, AssessmentViews.find(s, ref), asked.revision()));
    Assumptions own = basics.assumptions();
    List<WhatIf.Choice> choices = new ArrayList<>();
    for (double percentile : or(asked.percentiles(), own.percentile())) {
      for (double headroom : or(asked.headrooms(), own.headroom().cpu())) {
        for (String commitment : or(asked.commitments(), own.commitment().text())) {
          for (BigDecimal hours : or(asked.hoursAWeek(), own.hoursAWeek())) {
            choices.add(
                new WhatIf.Choice(percentile, headroom, Assumed.commitment(commitment), hours));
            if (choices.size() > MOST) {
              throw Assumed.wrong(
                  "these choices have more than " + MOST + " combinations", "ask for fewer");
            }
          }
        }
      }
    }
    WhatIf grid;
    try {
      grid = new WhatIf(basics.offer(), own, choices);
    } catch (IllegalArgumentException e) {
      throw Assumed.wrong(e.getMessage(), "give another value");
    }
    assessments
        .assessor(basics)
        .each(
            basics.ids(),
            loaded -> {
              grid.add(loaded.subject());
              return loaded.subject().id();
            },
            done -> {});
    List<WhatIf.Point> points = grid.points();
    return new WhatIfView(
        basics.entity().id,
        db.tx(s -> AssessmentViews.revision(s, basics.entity(), asked.revision()).number),
        basics.offer().currency(),
        points.get(0).machines(),
        grid.compared(),
        points.stream().map(p -> view(p, points)).toList());
  }

  private static <T> List<T> or(List<T> asked, T own) {
    return asked == null || asked.isEmpty() ? List.of(own) : asked;
  }

  private static PointView view(WhatIf.Point p, List<WhatIf.Point> all) {
    Commitment commitment = p.choice().commitment();
    return new PointView(
        p.choice().percentile(),
        p.choice().headroomPercent(),
        commitment.text(),
        p.choice().hoursAWeek(),
        p.monthly(),
        p.above(),
        p.aboveHours(),
        p.unsized(),
        all.stream().noneMatch(o -> better(o, p)));
  }

  /** Neither dearer nor more often above, and one of both truly. */
  private static boolean better(WhatIf.Point a, WhatIf.Point than) {
    int price = a.monthly().compareTo(than.monthly());
    return price <= 0 && a.above() <= than.above() && (price < 0 || a.above() < than.above());
  }
}
