package bargelane.client.wave;

import bargelane.api.Divergence;
import bargelane.api.FindingView;
import bargelane.api.GateView;
import bargelane.api.LegView;
import bargelane.api.MemberView;
import bargelane.api.PassView;
import bargelane.api.RunView;
import bargelane.api.WaveView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;

/** A wave for people: each machine's gates, the exposure, the last pass, the points. */
public final class WavePrinter {

  private WavePrinter() {}

  static int print(Common c, Answer<WaveView> answer) {
    WaveView w = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
      return 0;
    }
    c.out().println("Wave " + w.name() + ": " + w.from() + " to " + w.to() + ", " + w.state());
    String exposure = Output.seconds(w.exposureSeconds());
    Output.pairs(
        c.out(),
        "Timetable",
        w.timetable()
            + ": a pass every "
            + Output.seconds(w.everySeconds())
            + ", RPO "
            + Output.seconds(w.rpoSeconds())
            + ", "
            + w.keepPoints()
            + " points kept",
        "Exposure",
        exposure.equals("-")
            ? "no recovery point yet"
            : exposure + (w.rpoHeld() ? ", RPO held" : ", over the RPO"),
        "Replication",
        w.leg() == null ? "none" : w.leg().from() + " to " + w.leg().to() + ", " + w.leg().state(),
        "Scrubbed",
        scrubbed(w.leg()),
        "Next",
        w.nextAction().none() ? "nothing" : Remedies.text(w.nextAction()));
    c.out().println();
    gates(c, w);
    PassView p = w.lastPass();
    if (p != null) {
      c.out().println();
      c.out()
          .println(
              "Last pass: "
                  + p.number()
                  + ", "
                  + p.kind()
                  + ", "
                  + p.state()
                  + ", "
                  + Output.size(p.sent())
                  + " sent of "
                  + Output.size(p.total())
                  + " looked at"
                  + (p.problem().isEmpty() ? "" : ", " + p.problem()));
      c.out().println("Recovery points: " + w.points().size());
    }
    Divergence d = w.divergence();
    if (d != null) {
      c.out()
          .println(
              "Since "
                  + d.commonPoint()
                  + " "
                  + d.home()
                  + " changed "
                  + Output.size(d.homeBytes())
                  + ", "
                  + d.away()
                  + " "
                  + Output.size(d.awayBytes()));
    }
    for (RunView run : w.running()) {
      c.out().println("Running: " + run.title() + " (" + run.id() + ")");
    }
    if (w.running().isEmpty()) {
      w.recent().stream()
          .filter(r -> !r.kind().equals("pass"))
          .findFirst()
          .filter(r -> r.state().equals("failed") && r.problem() != null)
          .ifPresent(r -> failed(c, r));
    }
    return 0;
  }

  /** Why the last work failed, and what is to be done. */
  private static void failed(Common c, RunView run) {
    c.out().println("Failed: " + run.title() + " (" + run.id() + "): " + run.problem().detail());
    c.out().println("        remedy: " + Remedies.text(run.problem().remedy()));
  }

  private static void gates(Common c, WaveView w) {
    int width = 7;
    for (MemberView m : w.machines()) {
      width = Math.max(width, m.name().length());
    }
    StringBuilder head =
        new StringBuilder("MACHINE" + " ".repeat(width - 7) + "  RANK  SIZE      ");
    w.machines().get(0).gates().forEach(g -> head.append("  ").append(g.gate()));
    c.out().println(head);
    for (MemberView m : w.machines()) {
      StringBuilder line =
          new StringBuilder(
              String.format(
                  "%-" + width + "s  %4d  %-10s", m.name(), m.rank(), Output.plain(m.size())));
      m.gates()
          .forEach(
              g ->
                  line.append("  ")
                      .append(
                          String.format(
                              "%-" + g.gate().length() + "s", g.open() ? "open" : "shut")));
      c.out().println(line.toString().stripTrailing());
    }
    for (MemberView m : w.machines()) {
      for (GateView g : m.gates()) {
        if (!g.open()) {
          FindingView f = g.shutBy().get(0);
          c.out()
              .println(
                  m.name()
                      + " at '"
                      + g.gate()
                      + "': "
                      + f.cause()
                      + " -> "
                      + Remedies.text(f.remedy()));
          break;
        }
      }
      for (FindingView notice : m.notices()) {
        c.out()
            .println(
                m.name() + ", note: " + notice.cause() + " -> " + Remedies.text(notice.remedy()));
      }
    }
  }

  private static String scrubbed(LegView leg) {
    if (leg == null || leg.scrubbedAt() == null) {
      return "never";
    }
    return Output.local(leg.scrubbedAt())
        + (leg.scrubFound().isEmpty() ? ", no block differed" : ": " + leg.scrubFound());
  }
}
