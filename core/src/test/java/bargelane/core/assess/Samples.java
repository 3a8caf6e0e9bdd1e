package bargelane.core.assess;

import bargelane.core.assess.Offer.LicencePrice;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Offer.StorageOffer;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import bargelane.core.usage.LoadProfile;
import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageDigest;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Random;
import java.util.Set;

/** Machines and offers for the tests of assessments. */
final class Samples {

  static final LocalDate UNTIL = LocalDate.of(2026, 11, 20);
  static final Assumptions USUAL = Assumptions.usual(UNTIL);

  private Samples() {}

  static MachineFacts facts(int cpus, long memoryMib, long... gib) {
    List<Disk> disks = new ArrayList<>();
    for (int i = 0; i < gib.length; i++) {
      disks.add(new Disk("disk-" + i, gib[i] << 30, "shelf"));
    }
    return new MachineFacts(
        "vm", "m", cpus, memoryMib, "Debian", "uefi", true, false, disks, List.of(), List.of(),
        Map.of(), "", null, null);
  }

  static Subject subject(MachineFacts facts, Optional<Use> use, String... licences) {
    return new Subject(
        "m-1",
        facts,
        Map.of("shelf", "ssd"),
        use,
        Optional.empty(),
        Set.of(licences),
        OptionalDouble.empty(),
        false);
  }

  /** Thirty days in which every sample is the same. */
  static Optional<Use> steady(double cpu, double memoryMib, double operations, double mib) {
    UsageDay day = new UsageDay();
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      day.set(Metric.CPU, slot, cpu);
      day.set(Metric.MEMORY, slot, memoryMib * (1 << 20));
      day.set(Metric.READS, slot, operations);
      day.set(Metric.READ_BYTES, slot, mib * (1 << 20));
    }
    return use(day, 30, 4);
  }

  static Optional<Use> use(UsageDay each, int days, int sustained) {
    byte[][] digests = new byte[30][];
    byte[] packed = UsageDigest.pack(each);
    for (int i = 1; i <= days; i++) {
      digests[30 - i] = packed;
    }
    return Optional.of(Use.of(new LoadProfile(UNTIL.minusDays(30), digests), sustained));
  }

  static SizeOffer size(String id, int cpus, long memoryMib, String price) {
    return new SizeOffer(id, cpus, memoryMib, SizeLimits.UNTOLD, new BigDecimal(price), Map.of());
  }

  static SizeOffer size(
      String id, int cpus, long memoryMib, String price, SizeLimits limits, String oneYear) {
    return new SizeOffer(
        id,
        cpus,
        memoryMib,
        limits,
        new BigDecimal(price),
        Map.of(Commitment.ONE_YEAR, new BigDecimal(oneYear)));
  }

  static StorageOffer storage(String id, String media, String price, StorageLimits limits) {
    return new StorageOffer(
        id, media, limits, new BigDecimal(price), 0, Optional.empty(), 0, Optional.empty());
  }

  static Offer offer(List<SizeOffer> sizes, StorageOffer... storages) {
    return new Offer(
        "test",
        "EUR",
        sizes,
        List.of(storages),
        Map.of(
            "database",
            new LicencePrice("database", new BigDecimal("100.00"), true),
            "desk",
            new LicencePrice("desk", new BigDecimal("7.50"), false)),
        Optional.of(new BigDecimal("3.20")),
        Optional.of(new BigDecimal("0.08")),
        Map.of(),
        List.of());
  }

  /** An offer by chance, with families, generations and limits; the first size carries anything. */
  static Offer chance(Random random) {
    List<SizeOffer> sizes = new ArrayList<>();
    sizes.add(
        size(
            "all",
            512,
            4 << 20,
            "90.00",
            new SizeLimits("f0", "g0", 0, 0, 0, 0, 0, List.of()),
            "80.00"));
    for (int i = 0; i < 20; i++) {
      int cents = 10 + random.nextInt(900);
      sizes.add(
          size(
              "s" + i,
              1 << random.nextInt(7),
              512L << random.nextInt(10),
              "0." + String.format(java.util.Locale.ROOT, "%03d", cents),
              new SizeLimits(
                  "f" + random.nextInt(3),
                  "g" + random.nextInt(2),
                  random.nextInt(4),
                  random.nextInt(8),
                  random.nextInt(3) * 2000.0,
                  random.nextInt(3) * 100.0,
                  random.nextInt(3) * 50.0,
                  List.of()),
              "0." + String.format(java.util.Locale.ROOT, "%03d", cents * 2 / 3)));
    }
    List<StorageOffer> storages = new ArrayList<>();
    storages.add(storage("slow", "disk", "0.03", new StorageLimits(100_000, 300, 40)));
    storages.add(
        new StorageOffer(
            "sold",
            "ssd",
            new StorageLimits(100_000, 90_000, 9_000),
            new BigDecimal("0.07"),
            1000,
            Optional.of(new BigDecimal("0.004")),
            50,
            Optional.of(new BigDecimal("0.03"))));
    storages.add(storage("quick", "ssd", "0.20", new StorageLimits(100_000, 1e9, 1e9)));
    return new Offer(
        "chance",
        "EUR",
        sizes,
        storages,
        offer(List.of()).licences(),
        Optional.of(new BigDecimal("3.20")),
        Optional.of(new BigDecimal("0.08")),
        Map.of(),
        List.of());
  }

  static Subject chanceMachine(Random random) {
    UsageDay day = new UsageDay();
    double busy = Math.exp(random.nextGaussian());
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      day.set(Metric.CPU, slot, busy * (0.5 + random.nextDouble()));
      day.set(Metric.MEMORY, slot, busy * (1L << 30) * (1 + random.nextDouble()));
      day.set(Metric.WRITES, slot, busy * 800 * random.nextDouble());
      day.set(Metric.WRITTEN_BYTES, slot, busy * 2e7 * random.nextDouble());
      day.set(Metric.SENT_BYTES, slot, busy * 1e6 * random.nextDouble());
    }
    Subject s =
        subject(
            facts(
                1 + random.nextInt(16),
                1024L * (1 + random.nextInt(64)),
                1 + random.nextInt(500),
                1 + random.nextInt(3000)),
            use(day, 30, 4),
            random.nextInt(3) == 0 ? new String[] {"database"} : new String[0]);
    return new Subject(
        s.id(),
        s.facts(),
        s.media(),
        s.use(),
        s.hoursAWeek(),
        s.licences(),
        OptionalDouble.of(random.nextDouble() * 100),
        random.nextBoolean());
  }
}
