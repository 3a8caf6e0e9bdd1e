package bargelane.service.assess;

import bargelane.api.AssessedMachineView.CostLineView;
import bargelane.api.AssessedMachineView.DemandView;
import bargelane.api.AssessedMachineView.JudgementView;
import bargelane.api.AssessedMachineView.PlacedDiskView;
import bargelane.api.AssessedMachineView.SizedView;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Basis;
import bargelane.core.assess.CostLine;
import bargelane.core.assess.Demand;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Offer;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Sized;
import bargelane.core.assess.Sizing;
import bargelane.core.usage.Load;
import bargelane.core.usage.UsageDigest;
import bargelane.service.site.Sites;
import java.util.List;
import java.util.Locale;

/** How each figure of an assessed machine came about, in words: inputs, rule, source. */
final class Derivations {

  private static final double MIB = 1 << 20;

  private final Assumptions assumptions;
  private final Offer offer;

  Derivations(Assumptions assumptions, Offer offer) {
    this.assumptions = assumptions;
    this.offer = offer;
  }

  SizedView sized(Sized s, Stored of) {
    return new SizedView(
        s.basis().text(),
        s.size().map(SizeOffer::id).orElse(""),
        s.size().map(SizeOffer::cpus).orElse(0),
        s.size().map(SizeOffer::memoryMib).orElse(0L),
        s.size().map(x -> x.cpus() * assumptions.factor(x.limits().generation())).orElse(0.0),
        s.demands().stream().map(this::demand).toList(),
        s.disks().stream().map(Derivations::disk).toList(),
        s.lines().stream().map(this::line).toList(),
        s.monthly().orElse(null),
        s.horizon().orElse(null),
        s.waiting().orElse(null),
        s.aboveCpu().toSeconds(),
        s.aboveMemory().toSeconds(),
        Sites.views(s.findings()),
        s.notes(),
        new Sizing(offer, assumptions).explain(s, of.subject("")));
  }

  static JudgementView judgement(Judgement j) {
    return new JudgementView(
        Sites.views(List.of(j.finding())).get(0),
        j.effect().text(),
        j.rule(),
        j.facts(),
        j.source());
  }

  private DemandView demand(Demand d) {
    return new DemandView(
        d.load().name().toLowerCase(Locale.ROOT),
        d.load().unit(),
        d.basis().text(),
        d.measured(),
        d.value(),
        derivation(d));
  }

  private String derivation(Demand d) {
    if (d.basis() == Basis.CONFIGURED) {
      return amount(d.load(), d.value())
          + " as it is configured"
          + (d.fellBack().isEmpty() ? "" : ": " + d.fellBack());
    }
    boolean night = d.busiest().mean() > d.measured();
    return String.format(
        Locale.ROOT,
        "%s at P%s of five-minute means from %s to %s%s; %s + %s %% headroom = %s (values are rounded up by at most %.1f %%)",
        amount(d.load(), d.measured()),
        plain(assumptions.percentile()),
        assumptions.from(),
        assumptions.until(),
        assumptions.sustainedHours() == 0
            ? ""
            : String.format(
                Locale.ROOT,
                ", and %s on average in the busiest %d hours, from %s",
                amount(d.load(), d.busiest().mean()),
                assumptions.sustainedHours(),
                d.busiest().from()),
        amount(d.load(), night ? d.busiest().mean() : d.measured()),
        plain(d.headroomPercent()),
        amount(d.load(), d.value()),
        UsageDigest.ROUNDING * 100);
  }

  /** A load's value with a unit that people read. */
  static String amount(Load load, double value) {
    return switch (load) {
      case CPU -> String.format(Locale.ROOT, "%.2f processors", value);
      case MEMORY -> String.format(Locale.ROOT, "%.2f GiB", value / MIB / 1024);
      case OPERATIONS -> String.format(Locale.ROOT, "%,.0f operations/s", value);
      default -> String.format(Locale.ROOT, "%.1f MiB/s", value / MIB);
    };
  }

  private static String plain(double value) {
    return value == Math.rint(value) ? String.valueOf((long) value) : String.valueOf(value);
  }

  private static PlacedDiskView disk(Sized.PlacedDisk d) {
    String carried =
        d.operations() == 0 && d.mib() == 0
            ? ""
            : String.format(
                Locale.ROOT, ": %,.1f operations/s, %.2f MiB/s", d.operations(), d.mib());
    return new PlacedDiskView(d.volume(), d.bytes(), d.storage(), d.rule() + carried);
  }

  private CostLineView line(CostLine l) {
    return new CostLineView(
        l.kind().text(),
        l.what(),
        l.of(),
        l.quantity(),
        l.unit(),
        l.price(),
        l.discountPercent(),
        l.monthly(),
        l.horizon(),
        l.quantity().toPlainString()
            + " "
            + l.unit()
            + " a month at "
            + l.price().toPlainString()
            + (l.discountPercent().signum() == 0
                ? ""
                : " less " + l.discountPercent().toPlainString() + " %")
            + " = "
            + l.monthly()
            + " "
            + offer.currency()
            + ", by "
            + offer.source()
            + (l.kind() == CostLine.Kind.TRAFFIC
                ? "; all bytes of connections with outside networks count"
                : ""));
  }
}
