package bargelane.core.assess;

import static bargelane.core.assess.Samples.USUAL;
import static bargelane.core.assess.Samples.facts;
import static bargelane.core.assess.Samples.offer;
import static bargelane.core.assess.Samples.size;
import static bargelane.core.assess.Samples.steady;
import static bargelane.core.assess.Samples.storage;
import static bargelane.core.assess.Samples.subject;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.assess.Assumptions.Headroom;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import bargelane.core.usage.Load;
import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import java.math.BigDecimal;
import java.time.Duration;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;

class SizingTest {

  private static final List<SizeOffer> SIZES =
      List.of(
          size("big", 8, 32768, "0.20"),
          size("small", 2, 4096, "0.05"),
          size("fits", 4, 16384, "0.11"),
          size("same", 4, 20000, "0.11"));
  private static final StorageLimits LIMITS = new StorageLimits(1000, 500, 60);
  private static final Offer OFFER =
      offer(
          SIZES,
          storage("mud", "disk", "0.04", LIMITS),
          storage("reed", "ssd", "0.10", new StorageLimits(2000, 20000, 500)));

  private static Sized on(Basis basis, Subject machine) {
    return new Sizing(OFFER, USUAL).size(basis, machine);
  }

  private static String id(Sized sized) {
    return sized.size().map(SizeOffer::id).orElse("");
  }

  @Test
  void theCheapestThatFitsIsChosenAndOfEqualPricesTheSmaller() {
    assertEquals("fits", id(on(Basis.CONFIGURED, subject(facts(3, 10000, 10), Optional.empty()))));
    Sized none = on(Basis.CONFIGURED, subject(facts(16, 1000, 10), Optional.empty()));
    assertEquals("", id(none));
    assertEquals(Code.NO_SIZE_FITS, none.findings().get(0).code());
    assertEquals(Optional.empty(), none.monthly());
  }

  @Test
  void observedIsThePercentileAndHeadroomByHand() {
    // 1.5 processors and 3000 MiB in every sample, both told exactly by the digest.
    Subject m = subject(facts(8, 32768, 100), steady(1.5, 3072, 100, 8));
    Sized sized = on(Basis.OBSERVED, m);
    assertEquals(1.8, sized.demands().get(0).value(), 1e-9);
    assertEquals(3072 * 1.2 * (1 << 20), sized.demands().get(1).value(), 1);
    assertEquals("small", id(sized));
    assertEquals("big", id(on(Basis.CONFIGURED, m)));
    // 100 operations are carried by the cheap class though its source is an SSD.
    assertEquals("mud", sized.disks().get(0).storage());
    assertEquals(120, sized.disks().get(0).operations(), 1e-9);
    assertEquals("reed", on(Basis.CONFIGURED, m).disks().get(0).storage());
    assertTrue(sized.notes().isEmpty(), sized.notes() + "");
  }

  @Test
  void whatWasNotMeasuredIsSizedAsConfiguredAndSaysSo() {
    UsageDay day = new UsageDay();
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      day.set(Metric.CPU, slot, 0.5);
    }
    Sized thin = on(Basis.OBSERVED, subject(facts(4, 16384, 10), Samples.use(day, 6, 4)));
    assertEquals("fits", id(thin));
    assertEquals(
        List.of(
            "cpu as it is configured: less than a week was measured",
            "memory as it is configured: nothing was measured"),
        thin.notes());
    Sized half = on(Basis.OBSERVED, subject(facts(8, 4096, 10), Samples.use(day, 8, 4)));
    assertEquals("small", id(half));
    assertEquals(List.of("memory as it is configured: nothing was measured"), half.notes());
  }

  @Test
  void aMachineWithoutFactsGetsAReasonAndNoNumber() {
    for (Basis basis : Basis.values()) {
      Sized sized = on(basis, subject(facts(0, 0, 10), Optional.empty()));
      assertEquals(Code.FACT_MISSING, sized.findings().get(0).code());
      assertEquals(Optional.empty(), sized.monthly());
    }
    assertEquals("small", id(on(Basis.OBSERVED, subject(facts(0, 0, 9), steady(1, 1024, 1, 1)))));
  }

  @Test
  void oneNightsWorkIsCarriedUnlessItIsNotAskedFor() {
    UsageDay night = new UsageDay();
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      night.set(Metric.CPU, slot, slot < 12 * 5 ? 3 : 0.25);
      night.set(Metric.MEMORY, slot, 1L << 30);
    }
    // Five hours of one day in thirty are 0.7 % of the time.
    var quiet = steady(0.25, 1024, 1, 1);
    byte[][] days = new byte[30][];
    for (int i = 0; i < days.length; i++) {
      days[i] = bargelane.core.usage.UsageDigest.pack(i == 23 ? night : quiet(new UsageDay()));
    }
    var profile = new bargelane.core.usage.LoadProfile(Samples.UNTIL.minusDays(30), days);
    Sized with = on(Basis.OBSERVED, subject(facts(4, 8192, 9), Optional.of(Use.of(profile, 4))));
    assertEquals("fits", id(with));
    assertEquals(3 * 1.2, with.demands().get(0).value(), 1e-9);
    assertEquals(0.25, with.demands().get(0).measured());
    assertEquals(Duration.ZERO, with.aboveCpu());
    Sized without = on(Basis.OBSERVED, subject(facts(4, 8192, 9), Optional.of(Use.of(profile, 0))));
    assertEquals("small", id(without));
    assertEquals(Duration.ofHours(5), without.aboveCpu());
    assertTrue(without.above() && quiet.isPresent());
  }

  private static UsageDay quiet(UsageDay day) {
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      day.set(Metric.CPU, slot, 0.25);
      day.set(Metric.MEMORY, slot, 1L << 30);
    }
    return day;
  }

  @Test
  void limitsOfSizesAndClassesCount() {
    SizeLimits narrow = new SizeLimits("n", "1", 1, 2, 400, 20, 0, List.of("z"));
    Offer o =
        offer(
            List.of(size("narrow", 8, 32768, "0.01", narrow, "0.01"), size("wide", 8, 32768, "1")),
            storage("mud", "disk", "0.04", LIMITS));
    Sizing sizing = new Sizing(o, USUAL);
    assertEquals(
        "narrow",
        id(sizing.size(Basis.OBSERVED, subject(facts(2, 1024, 9), steady(1, 512, 300, 10)))));
    assertEquals(
        "wide",
        id(sizing.size(Basis.OBSERVED, subject(facts(2, 1024, 9), steady(1, 512, 400, 10)))));
    assertEquals(
        "wide",
        id(sizing.size(Basis.OBSERVED, subject(facts(2, 1024, 9), steady(1, 512, 300, 18)))));
    assertEquals(
        "wide",
        id(sizing.size(Basis.CONFIGURED, subject(facts(2, 1024, 9, 9, 9), Optional.empty()))));
    Sized large = sizing.size(Basis.CONFIGURED, subject(facts(2, 1024, 9, 1001), Optional.empty()));
    assertEquals(Code.DISK_TOO_LARGE, large.findings().get(0).code());
    assertEquals("m/disk-1", large.findings().get(0).thing());
    assertEquals(Optional.empty(), large.monthly());
    Sized quick = sizing.size(Basis.OBSERVED, subject(facts(2, 1024, 9), steady(1, 512, 450, 10)));
    assertEquals(Code.DISK_DEMAND_UNMET, quick.findings().get(0).code());
    assertTrue(
        sizing
            .explain(quick, subject(facts(2, 1024, 9), steady(1, 512, 450, 10)))
            .get(0)
            .contains("too few disk operations"));
  }

  @Test
  void aGenerationMayBeWorthMoreProcessors() {
    SizeLimits next = new SizeLimits("n", "2", 0, 0, 0, 0, 0, List.of());
    Offer o =
        offer(
            List.of(size("next", 2, 8192, "0.05", next, "0.04"), size("old", 4, 8192, "0.06")),
            storage("mud", "disk", "0.04", LIMITS));
    Subject m = subject(facts(3, 1024, 9), Optional.empty());
    assertEquals("old", id(new Sizing(o, USUAL).size(Basis.CONFIGURED, m)));
    Assumptions a = assumptions(Set.of(), Map.of("2", 1.5), Commitment.NONE, "168", "0", "0", 36);
    assertEquals("next", id(new Sizing(o, a).size(Basis.CONFIGURED, m)));
  }

  static Assumptions assumptions(
      Set<String> families,
      Map<String, Double> factors,
      Commitment commitment,
      String hours,
      String discount,
      String growth,
      int months,
      String... own) {
    return new Assumptions(
        Basis.OBSERVED,
        95,
        30,
        Samples.UNTIL,
        4,
        Headroom.all(20),
        families,
        Set.of(),
        "",
        factors,
        commitment,
        new BigDecimal(hours),
        new BigDecimal(discount),
        Set.of(own),
        new BigDecimal(growth),
        months);
  }

  @Test
  void moreHeadroomOrAHigherPercentileNeverCostsLess() {
    Random random = new Random(2);
    for (int round = 0; round < 150; round++) {
      Offer o = Samples.chance(random);
      Subject m = Samples.chanceMachine(random);
      BigDecimal former = BigDecimal.ZERO;
      for (double headroom = 0; headroom < 200; headroom += 15) {
        BigDecimal now =
            new Sizing(
                    o,
                    USUAL.choosing(95, Headroom.all(headroom), Commitment.ONE_YEAR, BigDecimal.TEN))
                .size(Basis.OBSERVED, m)
                .monthly()
                .orElseThrow();
        assertTrue(now.compareTo(former) >= 0, former + " then " + now);
        former = now;
      }
      former = BigDecimal.ZERO;
      for (double p : new double[] {50, 62.5, 90, 95, 99.5, 100}) {
        BigDecimal now =
            new Sizing(o, USUAL.choosing(p, Headroom.all(5), Commitment.NONE, BigDecimal.TEN))
                .size(Basis.OBSERVED, m)
                .monthly()
                .orElseThrow();
        assertTrue(now.compareTo(former) >= 0, former + " then " + now);
        former = now;
      }
    }
  }

  @Test
  void aWiderFamilyNeverCostsMore() {
    Random random = new Random(3);
    for (int round = 0; round < 300; round++) {
      Offer o = Samples.chance(random);
      Subject m = Samples.chanceMachine(random);
      Set<String> families = new HashSet<>(Set.of("f0"));
      BigDecimal former = null;
      for (String next : List.of("f1", "f2")) {
        BigDecimal now = monthly(o, m, families);
        assertTrue(former == null || now.compareTo(former) <= 0);
        former = now;
        families.add(next);
      }
      assertTrue(monthly(o, m, Set.of()).compareTo(former) <= 0);
    }
  }

  private static BigDecimal monthly(Offer o, Subject m, Set<String> families) {
    return new Sizing(o, assumptions(families, Map.of(), Commitment.NONE, "168", "0", "0", 36))
        .size(Basis.OBSERVED, m)
        .monthly()
        .orElseThrow();
  }

  @Test
  void onlyWhatWasMeasuredIsDemanded() {
    List<Demand> demands =
        new Sizing(OFFER, USUAL)
            .demands(Basis.OBSERVED, subject(facts(2, 1024, 9), steady(1, 512, 0, 0)));
    assertEquals(
        List.of(Load.CPU, Load.MEMORY, Load.OPERATIONS, Load.THROUGHPUT),
        demands.stream().map(Demand::load).toList());
  }
}
