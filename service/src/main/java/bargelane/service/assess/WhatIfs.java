package bargelane.service.assess;

import bargelane.api.WhatIfRequest;
import bargelane.api.WhatIfView;
import bargelane.api.WhatIfView.PointView;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Commitment;
import bargelane.core.assess.WhatIf;
import bargelane.service.platform.Db;
import java.util.List;

/** Grids of choices over the machines of a revision, by what is known of them now. */
public final class WhatIfs {

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
    WhatIf grid;
    try {
      grid =
          new WhatIf(
              basics.offer(),
              own,
              WhatIf.grid(
                  own,
                  given(asked.percentiles()),
                  given(asked.headrooms()),
                  given(asked.commitments()).stream().map(Assumed::commitment).toList(),
                  given(asked.hoursAWeek())));
    } catch (IllegalArgumentException e) {
      throw Assumed.wrong(e.getMessage(), "give other values, or fewer");
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

  private static <T> List<T> given(List<T> asked) {
    return asked == null ? List.of() : asked;
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
        p.bestOf(all));
  }
}
