package bargelane.core.assess;

import bargelane.core.assess.Offer.LicencePrice;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Sized.PlacedDisk;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.usage.Load;
import bargelane.core.usage.LoadProfile.Stretch;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;

/**
 * Right-sizing against an offer: the cheapest size that carries what a machine demands, with the
 * licences that its processors cost, and for each disk the cheapest storage class that carries it.
 * One of these serves any number of machines, from any thread.
 */
public final class Sizing {

  private static final double MIB = 1 << 20;

  /** A size with what it costs a month by itself. */
  private record Priced(SizeOffer size, BigDecimal hourly, BigDecimal hours, BigDecimal monthly) {}

  private final Offer offer;
  private final Assumptions assumptions;
  private final List<SizeOffer> allowed;
  private final DiskPlacing disks;
  private final Map<BigDecimal, List<Priced>> byHours = new ConcurrentHashMap<>();

  public Sizing(Offer offer, Assumptions assumptions) {
    this.offer = offer;
    this.assumptions = assumptions;
    this.allowed = offer.sizes().stream().filter(s -> refusal(s).isEmpty()).toList();
    this.disks = new DiskPlacing(offer, assumptions);
  }

  /** Why a size may not be chosen for any machine; empty if it may. */
  private String refusal(SizeOffer size) {
    if (!assumptions.families().isEmpty()
        && !assumptions.families().contains(size.limits().family())) {
      return "another family (" + size.limits().family() + ")";
    }
    if (!assumptions.generations().isEmpty()
        && !assumptions.generations().contains(size.limits().generation())) {
      return "another generation (" + size.limits().generation() + ")";
    }
    if (!assumptions.zone().isEmpty()
        && !size.limits().zones().isEmpty()
        && !size.limits().zones().contains(assumptions.zone())) {
      return "not offered in zone " + assumptions.zone();
    }
    return "";
  }

  /** The sizes that assumptions allow, the cheapest first; of equal prices the smaller first. */
  private List<Priced> priced(BigDecimal hoursAWeek) {
    return byHours.computeIfAbsent(
        hoursAWeek,
        hours ->
            allowed.stream()
                .map(s -> price(s, hours))
                .sorted(
                    Comparator.comparing(Priced::monthly)
                        .thenComparing(p -> p.size.memoryMib())
                        .thenComparing(p -> p.size.id()))
                .toList());
  }

  /** Under a commitment a size is paid for around the clock, where that is offered. */
  private Priced price(SizeOffer size, BigDecimal hoursAWeek) {
    BigDecimal committed = size.committed().get(assumptions.commitment());
    BigDecimal hourly = committed == null ? size.hourly() : committed;
    BigDecimal hours =
        Assumptions.hoursAMonth(committed == null ? hoursAWeek : Assumptions.ALL_HOURS);
    return new Priced(
        size, hourly, hours, CostLine.cents(hours.multiply(hourly).multiply(assumptions.net())));
  }

  /** What a machine demands on a basis; of what is neither configured nor measured nothing. */
  public List<Demand> demands(Basis basis, Subject machine) {
    List<Demand> all = new ArrayList<>();
    MachineFacts facts = machine.facts();
    add(all, basis, Load.CPU, machine, facts.cpus(), assumptions.headroom().cpu());
    add(all, basis, Load.MEMORY, machine, facts.memoryMib() * MIB, assumptions.headroom().memory());
    if (basis == Basis.OBSERVED) {
      add(all, basis, Load.OPERATIONS, machine, 0, assumptions.headroom().disk());
      add(all, basis, Load.THROUGHPUT, machine, 0, assumptions.headroom().disk());
      add(all, basis, Load.NETWORK, machine, 0, assumptions.headroom().network());
    }
    return all;
  }

  private void add(
      List<Demand> all,
      Basis basis,
      Load load,
      Subject machine,
      double configured,
      double headroom) {
    if (basis == Basis.OBSERVED && machine.use().filter(u -> u.enough(load)).isPresent()) {
      Use use = machine.use().get();
      double measured = use.profile().percentile(load, assumptions.percentile());
      Stretch busiest = use.busiest().get(load);
      all.add(
          new Demand(
              load,
              Basis.OBSERVED,
              measured,
              busiest,
              headroom,
              Math.max(measured, busiest.mean()) * (1 + headroom / 100),
              ""));
    } else if (configured > 0) {
      String why =
          basis == Basis.CONFIGURED
              ? ""
              : machine.use().map(u -> u.samples(load)).filter(n -> n > 0).isPresent()
                  ? "less than a week was measured"
                  : "nothing was measured";
      all.add(Demand.configured(load, configured, why));
    }
  }

  private static double of(List<Demand> demands, Load load) {
    for (Demand d : demands) {
      if (d.load() == load) {
        return d.value();
      }
    }
    return 0;
  }

  /** Why a size does not carry a machine; empty if it does. */
  private String lack(SizeOffer size, List<Demand> demands, MachineFacts facts) {
    double cpus = size.cpus() * assumptions.factor(size.limits().generation());
    if (cpus < of(demands, Load.CPU)) {
      return "too few processors";
    }
    if (size.memoryMib() * MIB < of(demands, Load.MEMORY)) {
      return "too little memory";
    }
    if (below(size.limits().nics(), facts.nics().size())) {
      return "too few network cards";
    }
    if (below(size.limits().disks(), facts.disks().size())) {
      return "too few disks";
    }
    if (below(size.limits().operations(), of(demands, Load.OPERATIONS))) {
      return "too few disk operations";
    }
    if (below(size.limits().throughputMib() * MIB, of(demands, Load.THROUGHPUT))) {
      return "too little disk throughput";
    }
    if (below(size.limits().networkMib() * MIB, of(demands, Load.NETWORK))) {
      return "too little network throughput";
    }
    return "";
  }

  /** Whether a limit that is told is below what is demanded. */
  static boolean below(double limit, double demanded) {
    return limit > 0 && limit < demanded;
  }

  /** What a machine needs and costs on a basis. */
  public Sized size(Basis basis, Subject machine) {
    MachineFacts facts = machine.facts();
    List<Finding> findings = new ArrayList<>();
    List<String> notes = new ArrayList<>();
    List<Demand> demands = demands(basis, machine);
    Optional<Priced> chosen = Optional.empty();
    if (of(demands, Load.CPU) == 0 || of(demands, Load.MEMORY) == 0) {
      findings.add(
          finding(
              Code.FACT_MISSING,
              facts.name(),
              (of(demands, Load.CPU) == 0 ? "its processors" : "its memory")
                  + " are neither told nor measured",
              "tell them in a list, or have it read by a source that knows them"));
    } else {
      chosen = cheapest(demands, machine);
      if (chosen.isEmpty()) {
        findings.add(
            finding(
                Code.NO_SIZE_FITS,
                facts.name(),
                noneFits(demands, facts),
                "allow other families, ask the target's owner for a larger size, or split its work"));
      }
    }
    for (Demand d : demands) {
      if (!d.fellBack().isEmpty()) {
        notes.add(
            d.load().name().toLowerCase(Locale.ROOT) + " as it is configured: " + d.fellBack());
      }
    }
    List<CostLine> lines = new ArrayList<>();
    chosen.ifPresent(c -> compute(c, machine, lines, findings, notes));
    double operations = of(demands, Load.OPERATIONS);
    double mib = of(demands, Load.THROUGHPUT) / MIB;
    List<PlacedDisk> placed =
        basis == Basis.OBSERVED && operations + mib > 0
            ? disks.carrying(machine, operations, mib, lines, findings)
            : disks.asAtSource(machine, lines, findings);
    other(machine, lines);
    boolean whole = chosen.isPresent() && placed.stream().noneMatch(d -> d.storage().isEmpty());
    Optional<SizeOffer> size = chosen.map(Priced::size);
    return new Sized(
        basis,
        demands,
        size,
        placed,
        lines,
        whole ? Optional.of(total(lines, CostLine::monthly)) : Optional.empty(),
        whole ? Optional.of(total(lines, CostLine::horizon)) : Optional.empty(),
        disks.waiting(facts),
        above(machine, Load.CPU, size.map(this::processors)),
        above(machine, Load.MEMORY, size.map(s -> s.memoryMib() * MIB)),
        findings,
        notes);
  }

  private double processors(SizeOffer size) {
    return size.cpus() * assumptions.factor(size.limits().generation());
  }

  private static Duration above(Subject machine, Load load, Optional<Double> limit) {
    return limit.isEmpty() || machine.use().isEmpty()
        ? Duration.ZERO
        : machine.use().get().profile().above(load, limit.get());
  }

  private static BigDecimal total(
      List<CostLine> lines, java.util.function.Function<CostLine, BigDecimal> of) {
    return lines.stream().map(of).reduce(BigDecimal.ZERO.setScale(2), BigDecimal::add);
  }

  static Finding finding(Code code, String thing, String cause, String remedy) {
    return new Finding(code, thing, cause, remedy, Who.ENGINEER);
  }

  /** With the licences that a size's processors cost; those that don't fit are passed over. */
  private Optional<Priced> cheapest(List<Demand> demands, Subject machine) {
    Optional<Priced> best = Optional.empty();
    BigDecimal bestPrice = BigDecimal.ZERO;
    List<LicencePrice> perCore = licences(machine).stream().filter(LicencePrice::perCore).toList();
    for (Priced p : priced(machine.hoursAWeek().orElse(assumptions.hoursAWeek()))) {
      if (best.isPresent() && p.monthly.compareTo(bestPrice) >= 0) {
        break;
      }
      if (!lack(p.size, demands, machine.facts()).isEmpty()) {
        continue;
      }
      BigDecimal price = p.monthly;
      for (LicencePrice licence : perCore) {
        price =
            price.add(
                CostLine.cents(licence.monthly().multiply(BigDecimal.valueOf(p.size.cpus()))));
      }
      if (best.isEmpty() || price.compareTo(bestPrice) < 0) {
        best = Optional.of(p);
        bestPrice = price;
      }
    }
    return best;
  }

  private List<LicencePrice> licences(Subject machine) {
    return machine.licences().stream()
        .filter(l -> !assumptions.ownLicences().contains(l))
        .flatMap(l -> Optional.ofNullable(offer.licences().get(l)).stream())
        .toList();
  }

  private String noneFits(List<Demand> demands, MachineFacts facts) {
    return String.format(
        Locale.ROOT,
        "none of %d sizes (of %d offered) has %.2f processors, %,.0f MiB of memory, %d network cards, %d disks and what its disks and cards carry",
        allowed.size(),
        offer.sizes().size(),
        of(demands, Load.CPU),
        of(demands, Load.MEMORY) / MIB,
        facts.nics().size(),
        facts.disks().size());
  }

  private void compute(
      Priced c, Subject machine, List<CostLine> lines, List<Finding> findings, List<String> notes) {
    lines.add(
        CostLine.of(
            CostLine.Kind.COMPUTE,
            c.size.id(),
            "",
            c.hours,
            "hours",
            c.hourly,
            true,
            false,
            assumptions));
    if (assumptions.commitment() != Commitment.NONE
        && !c.size.committed().containsKey(assumptions.commitment())) {
      notes.add(
          c.size.id()
              + " has no price for a commitment of "
              + assumptions.commitment().text()
              + ": counted by the hour");
    }
    for (String name : machine.licences()) {
      LicencePrice licence = offer.licences().get(name);
      if (assumptions.ownLicences().contains(name)) {
        notes.add("licence " + name + " is brought along: it costs nothing here");
      } else if (licence == null) {
        findings.add(
            finding(
                Code.LICENCE_NOT_CHOSEN,
                machine.facts().name(),
                "it needs the licence '"
                    + name
                    + "', which is neither brought along nor priced here: it is missing in the cost",
                "say that it is brought along (--own-licence " + name + "), or add its price"));
      } else {
        lines.add(
            CostLine.of(
                CostLine.Kind.LICENCE,
                name,
                "",
                BigDecimal.valueOf(licence.perCore() ? c.size.cpus() : 1),
                licence.perCore() ? "processors" : "machines",
                licence.monthly(),
                false,
                false,
                assumptions));
      }
    }
  }

  private void other(Subject machine, List<CostLine> lines) {
    if (machine.publicAddress() && offer.address().isPresent()) {
      lines.add(
          CostLine.of(
              CostLine.Kind.ADDRESS,
              "public address",
              "",
              BigDecimal.ONE,
              "addresses",
              offer.address().get(),
              true,
              false,
              assumptions));
    }
    if (machine.outwardGib().isPresent() && offer.traffic().isPresent()) {
      lines.add(
          CostLine.of(
              CostLine.Kind.TRAFFIC,
              "to outside networks",
              "",
              BigDecimal.valueOf(machine.outwardGib().getAsDouble())
                  .setScale(4, RoundingMode.HALF_UP),
              "GiB",
              offer.traffic().get(),
              true,
              true,
              assumptions));
    }
  }

  /**
   * What a machine costs a month in a size and classes that are decided, at a site's own prices.
   */
  public static BigDecimal monthly(
      Inventory.Size size, List<Disk> disks, List<Inventory.Storage> storageOfDisk) {
    BigDecimal sum =
        CostLine.cents(
            size.pricePerHour().multiply(Assumptions.hoursAMonth(Assumptions.ALL_HOURS)));
    for (int i = 0; i < disks.size(); i++) {
      sum =
          sum.add(
              CostLine.cents(
                  storageOfDisk
                      .get(i)
                      .pricePerGibMonth()
                      .multiply(DiskPlacing.gib(disks.get(i).bytes()))));
    }
    return sum;
  }

  /** Why a size was chosen: what was passed over for it, and what for. */
  public List<String> explain(Sized sized, Subject machine) {
    List<String> all = new ArrayList<>();
    for (SizeOffer s : offer.sizes()) {
      String refusal = refusal(s);
      String lack = refusal.isEmpty() ? lack(s, sized.demands(), machine.facts()) : refusal;
      boolean chosen = sized.size().filter(x -> x.id().equals(s.id())).isPresent();
      Priced p = price(s, machine.hoursAWeek().orElse(assumptions.hoursAWeek()));
      all.add(
          s.id()
              + ", "
              + p.monthly
              + " "
              + offer.currency()
              + " a month: "
              + (chosen ? "chosen" : lack.isEmpty() ? "carries it, dearer" : lack));
    }
    return all;
  }
}
