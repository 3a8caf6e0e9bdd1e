package bargelane.core.assess;

import bargelane.core.assess.Offer.StorageOffer;
import bargelane.core.assess.Sized.PlacedDisk;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/** For each disk the cheapest storage class that carries it, and what that costs. */
final class DiskPlacing {

  private static final BigDecimal GIB = BigDecimal.valueOf(1L << 30);

  private final Offer offer;
  private final Assumptions assumptions;
  private final List<StorageOffer> storages;

  DiskPlacing(Offer offer, Assumptions assumptions) {
    this.offer = offer;
    this.assumptions = assumptions;
    this.storages =
        offer.storages().stream()
            .sorted(Comparator.comparing(StorageOffer::gib).thenComparing(StorageOffer::id))
            .toList();
  }

  /**
   * By what the disks carry. They are not measured one by one: what the machine's disks carry
   * together is shared out by their capacity.
   *
   * @param operations a second, of all disks
   * @param mib a second, of all disks
   * @param lines gets what the disks cost
   * @param findings gets those that no class carries
   */
  List<PlacedDisk> carrying(
      Subject machine,
      double operations,
      double mib,
      List<CostLine> lines,
      List<Finding> findings) {
    double all = machine.facts().disks().stream().mapToDouble(Disk::bytes).sum();
    List<PlacedDisk> placed = new ArrayList<>();
    for (Disk disk : machine.facts().disks()) {
      double share = all == 0 ? 0 : disk.bytes() / all;
      Optional<StorageOffer> at =
          carrying(disk.bytes(), media(machine, disk), operations * share, mib * share);
      placed.add(
          placed(
              machine,
              disk,
              operations * share,
              mib * share,
              at,
              "cheapest class that carries its share, by capacity, of what all disks carry",
              lines,
              findings));
    }
    return placed;
  }

  /** By the medium that the disks lie on now. */
  List<PlacedDisk> asAtSource(Subject machine, List<CostLine> lines, List<Finding> findings) {
    List<PlacedDisk> placed = new ArrayList<>();
    for (Disk disk : machine.facts().disks()) {
      String media = media(machine, disk);
      placed.add(
          placed(
              machine,
              disk,
              0,
              0,
              ofMedia(disk.bytes(), media),
              media.isEmpty()
                  ? "cheapest class that holds it"
                  : "cheapest class on " + media + ", as at its source",
              lines,
              findings));
    }
    return placed;
  }

  private static String media(Subject machine, Disk disk) {
    return machine.media().getOrDefault(disk.storage(), "");
  }

  private PlacedDisk placed(
      Subject machine,
      Disk disk,
      double operations,
      double mib,
      Optional<StorageOffer> at,
      String rule,
      List<CostLine> lines,
      List<Finding> findings) {
    if (at.isPresent()) {
      charge(at.get(), disk, operations, mib, lines);
    } else {
      findings.add(unheld(machine, disk, operations, mib));
    }
    return new PlacedDisk(
        disk.volume(),
        disk.bytes(),
        operations,
        mib,
        at.map(StorageOffer::id).orElse(""),
        at.isEmpty() ? "no class holds it" : rule);
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
                        : !Sizing.below(s.limits().operations(), operations)
                            && !Sizing.below(s.limits().throughputMib(), mib)))
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

  static BigDecimal gib(long bytes) {
    return BigDecimal.valueOf(bytes).divide(GIB, 4, RoundingMode.HALF_UP);
  }

  /** Whole units that are needed beyond what is free. */
  private static BigDecimal beyond(double needed, double free) {
    return BigDecimal.valueOf((long) Math.ceil(Math.max(0, needed - free)));
  }

  private void charge(
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
      return Sizing.finding(
          Code.DISK_TOO_LARGE,
          thing,
          String.format(
              Locale.ROOT,
              "it has %,.0f GiB, and the largest disk there is %,d GiB",
              disk.bytes() / (double) (1L << 30),
              offer.largestGib()),
          "spread its file systems over several disks before it moves");
    }
    return Sizing.finding(
        Code.DISK_DEMAND_UNMET,
        thing,
        String.format(
            Locale.ROOT,
            "no class carries %,.0f operations/s and %,.1f MiB/s on one disk of that size",
            operations,
            mib),
        "spread it over several disks, or lower the percentile or the headroom");
  }

  /** What the disks cost a month in the cheapest class that holds them; none if one is not held. */
  Optional<BigDecimal> waiting(MachineFacts facts) {
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
}
