package bargelane.core.assess;

import bargelane.core.assess.Offer.LicencePrice;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Offer.StorageOffer;
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

  private static final BigDecimal GIB = BigDecimal.valueOf(1L << 30);
  private static final double MIB = 1 << 20;

  /** A size with what it costs a month by itself. */
  private record Priced(SizeOffer size, BigDecimal hourly, BigDecimal hours, BigDecimal monthly) {}

  private final Offer offer;
  private final Assumptions assumptions;
  private final List<SizeOffer> allowed;
  private final List<StorageOffer> storages;
  private final Map<BigDecimal, List<Priced>> byHours = new ConcurrentHashMap<>();

  public Sizing(Offer offer, Assumptions assumptions) {
    this.offer = offer;
    this.assumptions = assumptions;
    this.allowed = offer.sizes().stream().filter(s -> refusal(s).isEmpty()).toList();
    this.storages =
        offer.storages().stream()
            .sorted(Comparator.comparing(StorageOffer::gib).thenComparing(StorageOffer::id))
            .toList();
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
  private static boolean below(double limit, double demanded) {
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
    List<PlacedDisk> disks = place(basis, machine, demands, lines, findings);
    other(machine, lines);
    boolean whole = chosen.isPresent() && disks.stream().noneMatch(d -> d.storage().isEmpty());
    Optional<SizeOffer> size = chosen.map(Priced::size);
    return new Sized(
        basis,
        demands,
        size,
        disks,
        lines,
        whole ? Optional.of(total(lines, CostLine::monthly)) : Optional.empty(),
        whole ? Optional.of(total(lines, CostLine::horizon)) : Optional.empty(),
        waiting(facts),
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

  private static Finding finding(Code code, String thing, String cause, String remedy) {
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

  /**
   * Disks are not measured one by one: what the machine's disks carry together is shared out by
   * their capacity.
   */
  private List<PlacedDisk> place(
      Basis basis,
      Subject machine,
      List<Demand> demands,
      List<CostLine> lines,
      List<Finding> findings) {
    List<Disk> disks = machine.facts().disks();
    double all = disks.stream().mapToDouble(Disk::bytes).sum();
    double operations = of(demands, Load.OPERATIONS);
    double mib = of(demands, Load.THROUGHPUT) / MIB;
    boolean measured = basis == Basis.OBSERVED && (operations > 0 || mib > 0);
    List<PlacedDisk> placed = new ArrayList<>();
    for (Disk disk : disks) {
      double share = all == 0 ? 0 : disk.bytes() / all;
      String media = machine.media().getOrDefault(disk.storage(), "");
      Optional<StorageOffer> at =
          measured
              ? carrying(disk.bytes(), media, operations * share, mib * share)
              : ofMedia(disk.bytes(), media);
      String rule =
          measured
              ? "cheapest class that carries its share, by capacity, of what all disks carry"
              : media.isEmpty()
                  ? "cheapest class that holds it"
                  : "cheapest class on " + media + ", as at its source";
      placed.add(
          new PlacedDisk(
              disk.volume(),
              disk.bytes(),
              measured ? operations * share : 0,
              measured ? mib * share : 0,
              at.map(StorageOffer::id).orElse(""),
              at.isEmpty() ? "no class holds it" : rule));
      if (at.isPresent()) {
        storage(
            at.get(), disk, measured ? operations * share : 0, measured ? mib * share : 0, lines);
      } else {
        findings.add(unheld(machine, disk, operations * share, mib * share));
      }
    }
    return placed;
  }

  private static boolean holds(StorageOffer s, long bytes) {
    return s.limits().gib() == 0 || bytes <= s.limits().gib() << 30;
  }

  private Optional<StorageOffer> carrying(long bytes, String media, double operations, double mib) {
    return storages.stream()
        .filter(
            s ->
                holds(s, bytes)
                    && (s.limits().operations() == 0 && s.limits().throughputMib() == 0
                        // A class that tells no limits carries what was on its like.
                        ? media.isEmpty() || s.media().equals(media)
                        : !below(s.limits().operations(), operations)
                            && !below(s.limits().throughputMib(), mib)))
        .min(
            Comparator.comparing((StorageOffer s) -> price(s, bytes, operations, mib))
                .thenComparing(StorageOffer::id));
  }

  private Optional<StorageOffer> ofMedia(long bytes, String media) {
    return storages.stream()
        .filter(s -> holds(s, bytes) && (media.isEmpty() || s.media().equals(media)))
        .findFirst()
        .or(() -> storages.stream().filter(s -> holds(s, bytes)).findFirst());
  }

  private static BigDecimal price(StorageOffer s, long bytes, double operations, double mib) {
    BigDecimal sum = s.gib().multiply(gib(bytes));
    if (s.operation().isPresent()) {
      sum = sum.add(s.operation().get().multiply(beyond(operations, s.freeOperations())));
    }
    if (s.mib().isPresent()) {
      sum = sum.add(s.mib().get().multiply(beyond(mib, s.freeMib())));
    }
    return sum;
  }

  private static BigDecimal gib(long bytes) {
    return BigDecimal.valueOf(bytes).divide(GIB, 4, RoundingMode.HALF_UP);
  }

  /** Whole units that are needed beyond what is free. */
  private static BigDecimal beyond(double needed, double free) {
    return BigDecimal.valueOf((long) Math.ceil(Math.max(0, needed - free)));
  }

  private void storage(
      StorageOffer s, Disk disk, double operations, double mib, List<CostLine> lines) {
    String of = disk.volume();
    lines.add(
        CostLine.of(
            CostLine.Kind.STORAGE,
            s.id(),
            of,
            gib(disk.bytes()),
            "GiB",
            s.gib(),
            true,
            true,
            assumptions));
    BigDecimal further = beyond(operations, s.freeOperations());
    if (s.operation().isPresent() && further.signum() > 0) {
      lines.add(
          CostLine.of(
              CostLine.Kind.OPERATIONS,
              s.id(),
              of,
              further,
              "operations/s",
              s.operation().get(),
              true,
              false,
              assumptions));
    }
    further = beyond(mib, s.freeMib());
    if (s.mib().isPresent() && further.signum() > 0) {
      lines.add(
          CostLine.of(
              CostLine.Kind.THROUGHPUT,
              s.id(),
              of,
              further,
              "MiB/s",
              s.mib().get(),
              true,
              false,
              assumptions));
    }
  }

  private Finding unheld(Subject machine, Disk disk, double operations, double mib) {
    String thing = machine.facts().name() + "/" + disk.volume();
    if (storages.stream().noneMatch(s -> holds(s, disk.bytes()))) {
      return finding(
          Code.DISK_TOO_LARGE,
          thing,
          String.format(
              Locale.ROOT,
              "it has %,.0f GiB, and the largest disk there is %,d GiB",
              disk.bytes() / (double) (1L << 30),
              offer.largestGib()),
          "spread its file systems over several disks before it moves");
    }
    return finding(
        Code.DISK_TOO_QUICK,
        thing,
        String.format(
            Locale.ROOT,
            "no class carries %,.0f operations/s and %,.1f MiB/s on one disk of that size",
            operations,
            mib),
        "spread it over several disks, or lower the percentile or the headroom");
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

  private Optional<BigDecimal> waiting(MachineFacts facts) {
    BigDecimal sum = BigDecimal.ZERO.setScale(2);
    for (Disk disk : facts.disks()) {
      Optional<StorageOffer> cheapest = ofMedia(disk.bytes(), "");
      if (cheapest.isEmpty()) {
        return Optional.empty();
      }
      sum =
          sum.add(
              CostLine.cents(
                  cheapest.get().gib().multiply(assumptions.net()).multiply(gib(disk.bytes()))));
    }
    return Optional.of(sum);
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
                  storageOfDisk.get(i).pricePerGibMonth().multiply(gib(disks.get(i).bytes()))));
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
