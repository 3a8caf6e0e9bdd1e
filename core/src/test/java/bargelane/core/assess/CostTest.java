package bargelane.core.assess;

import static bargelane.core.assess.Samples.facts;
import static bargelane.core.assess.Samples.offer;
import static bargelane.core.assess.Samples.size;
import static bargelane.core.assess.Samples.storage;
import static bargelane.core.assess.Samples.subject;
import static bargelane.core.assess.SizingTest.assumptions;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.assess.CostLine.Kind;
import bargelane.core.assess.Offer.StorageOffer;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;

class CostTest {

  private static final Offer OFFER =
      offer(
          List.of(size("s", 4, 8192, "0.110", SizeLimits.UNTOLD, "0.070")),
          storage("reed", "ssd", "0.096", new StorageLimits(1000, 0, 0)));

  private static Assumptions with(Commitment c, String hours, String discount, String growth) {
    return assumptions(Set.of(), Map.of(), c, hours, discount, growth, 36);
  }

  private static CostLine line(Sized sized, Kind kind) {
    return sized.lines().stream().filter(l -> l.kind() == kind).findFirst().orElseThrow();
  }

  private static Sized sized(Assumptions a, Subject m) {
    return new Sizing(OFFER, a).size(Basis.CONFIGURED, m);
  }

  @Test
  void theMonthIsComputedByHand() {
    Subject m = subject(facts(4, 8192, 100), Optional.empty());
    Sized sized = sized(with(Commitment.NONE, "168", "0", "0"), m);
    // 730.5 hours at 0.110, and 100 GiB at 0.096.
    assertEquals(new BigDecimal("80.36"), line(sized, Kind.COMPUTE).monthly());
    assertEquals(new BigDecimal("730.5000"), line(sized, Kind.COMPUTE).quantity());
    assertEquals(new BigDecimal("9.60"), line(sized, Kind.STORAGE).monthly());
    assertEquals(Optional.of(new BigDecimal("89.96")), sized.monthly());
    assertEquals(Optional.of(new BigDecimal("3238.56")), sized.horizon());
    assertEquals(Optional.of(new BigDecimal("9.60")), sized.waiting());
  }

  @Test
  void runningHoursCommitmentAndDiscountByHand() {
    Subject m = subject(facts(4, 8192, 100), Optional.empty());
    // 60 hours a week are 260.8929 a month.
    assertEquals(
        new BigDecimal("28.70"),
        line(sized(with(Commitment.NONE, "60", "0", "0"), m), Kind.COMPUTE).monthly());
    // Under a commitment every hour is paid: 730.5 at 0.070.
    assertEquals(
        new BigDecimal("51.14"),
        line(sized(with(Commitment.ONE_YEAR, "60", "0", "0"), m), Kind.COMPUTE).monthly());
    // There is no price for three years: by the hour, and it is said.
    Sized three = sized(with(Commitment.THREE_YEARS, "60", "0", "0"), m);
    assertEquals(new BigDecimal("28.70"), line(three, Kind.COMPUTE).monthly());
    assertTrue(three.notes().get(0).contains("3 years"), three.notes() + "");
    // 12.5 % off: 80.355 * 0.875 = 70.31, 9.6 * 0.875 = 8.40.
    assertEquals(
        Optional.of(new BigDecimal("78.71")),
        sized(with(Commitment.NONE, "168", "12.5", "0"), m).monthly());
  }

  @Test
  void growthIsOfWhatLiesOnDisksYearByYear() {
    Subject m = subject(facts(4, 8192, 100), Optional.empty());
    Sized sized = sized(with(Commitment.NONE, "168", "0", "10"), m);
    // 9.60, 10.56 and 11.62 (11.616) a month, each for twelve months.
    assertEquals(new BigDecimal("381.36"), line(sized, Kind.STORAGE).horizon());
    assertEquals(new BigDecimal("2892.96"), line(sized, Kind.COMPUTE).horizon());
    Sized half =
        new Sizing(OFFER, assumptions(Set.of(), Map.of(), Commitment.NONE, "168", "0", "10", 18))
            .size(Basis.CONFIGURED, m);
    // 12 * 9.60 + 6 * 10.56.
    assertEquals(new BigDecimal("178.56"), line(half, Kind.STORAGE).horizon());
  }

  @Test
  void licencesAreBoughtBroughtOrMissing() {
    Subject m = subject(facts(4, 8192, 1), Optional.empty(), "database");
    Sized bought = sized(with(Commitment.NONE, "168", "20", "0"), m);
    // Four processors at 100 each, without the discount.
    assertEquals(new BigDecimal("400.00"), line(bought, Kind.LICENCE).monthly());
    Sized brought =
        new Sizing(
                OFFER,
                assumptions(Set.of(), Map.of(), Commitment.NONE, "168", "0", "0", 36, "database"))
            .size(Basis.CONFIGURED, m);
    assertTrue(brought.lines().stream().noneMatch(l -> l.kind() == Kind.LICENCE));
    assertTrue(brought.notes().get(0).contains("brought along"));
    Sized missing =
        sized(
            with(Commitment.NONE, "168", "0", "0"),
            subject(facts(4, 8192, 1), Optional.empty(), "atlas"));
    assertEquals(Code.LICENCE_NOT_CHOSEN, missing.findings().get(0).code());
    Sized flat =
        sized(
            with(Commitment.NONE, "168", "0", "0"),
            subject(facts(4, 8192, 1), Optional.empty(), "desk"));
    assertEquals(new BigDecimal("7.50"), line(flat, Kind.LICENCE).monthly());
  }

  @Test
  void aLicencePerProcessorMayMakeTheDearerSizeTheCheaperOne() {
    Offer o =
        offer(
            List.of(size("many", 16, 32768, "0.10"), size("few", 4, 32768, "0.30")),
            storage("reed", "ssd", "0.096", StorageLimits.UNTOLD));
    Assumptions a = with(Commitment.NONE, "168", "0", "0");
    assertEquals(
        "many",
        new Sizing(o, a)
            .size(Basis.CONFIGURED, subject(facts(4, 32768, 1), Optional.empty()))
            .size()
            .orElseThrow()
            .id());
    assertEquals(
        "few",
        new Sizing(o, a)
            .size(Basis.CONFIGURED, subject(facts(4, 32768, 1), Optional.empty(), "database"))
            .size()
            .orElseThrow()
            .id());
  }

  @Test
  void operationsBeyondTheFreeOnesAreBoughtWhole() {
    StorageOffer sold =
        new StorageOffer(
            "sold",
            "ssd",
            new StorageLimits(1000, 9000, 900),
            new BigDecimal("0.05"),
            100,
            Optional.of(new BigDecimal("0.004")),
            10,
            Optional.of(new BigDecimal("0.03")));
    Sized sized =
        new Sizing(
                offer(List.of(size("s", 4, 8192, "0.1")), sold),
                with(Commitment.NONE, "168", "0", "0"))
            .size(Basis.OBSERVED, subject(facts(4, 8192, 10), Samples.steady(1, 1024, 128, 16)));
    // 128 operations and a fifth are 153.6: 53.6 beyond 100 are 54 at 0.004.
    assertEquals(new BigDecimal("54"), line(sized, Kind.OPERATIONS).quantity());
    assertEquals(new BigDecimal("0.22"), line(sized, Kind.OPERATIONS).monthly());
    // 16 MiB/s and a fifth are 19.2: 10 beyond 10 at 0.03.
    assertEquals(new BigDecimal("0.30"), line(sized, Kind.THROUGHPUT).monthly());
  }

  @Test
  void addressesAndTrafficByHand() {
    Subject m = subject(facts(4, 8192, 1), Optional.empty());
    Sized sized =
        sized(
            with(Commitment.NONE, "168", "10", "0"),
            new Subject(
                m.id(),
                m.facts(),
                m.media(),
                m.use(),
                m.hoursAWeek(),
                m.licences(),
                OptionalDouble.of(250.5),
                true));
    assertEquals(new BigDecimal("2.88"), line(sized, Kind.ADDRESS).monthly());
    // 250.5 GiB at 0.08 less a tenth.
    assertEquals(new BigDecimal("18.04"), line(sized, Kind.TRAFFIC).monthly());
  }

  @Test
  void moreHoursNeverCostLessAndTotalsAreTheSumOfTheirLinesToTheCent() {
    Random random = new Random(7);
    for (int round = 0; round < 200; round++) {
      Offer o = Samples.chance(random);
      Subject m = Samples.chanceMachine(random);
      BigDecimal former = BigDecimal.ZERO;
      for (int hours = 1; hours <= 168; hours += 1 + random.nextInt(20)) {
        Assumptions a =
            assumptions(
                Set.of(),
                Map.of(),
                Commitment.NONE,
                String.valueOf(hours),
                String.valueOf(random.nextInt(1) + 5),
                "7.5",
                1 + random.nextInt(60));
        Sized sized = new Sizing(o, a).size(Basis.OBSERVED, m);
        BigDecimal monthly = sized.monthly().orElseThrow();
        assertTrue(monthly.compareTo(former) >= 0);
        former = monthly;
        BigDecimal sum = BigDecimal.ZERO;
        BigDecimal horizon = BigDecimal.ZERO;
        for (CostLine line : sized.lines()) {
          assertEquals(2, line.monthly().scale());
          sum = sum.add(line.monthly());
          horizon = horizon.add(line.horizon());
        }
        assertEquals(sum, monthly);
        assertEquals(horizon, sized.horizon().orElseThrow());
      }
    }
  }

  @Test
  void aGridTellsWhatItsPointsAssessAlone() {
    Random random = new Random(11);
    Offer o = Samples.chance(random);
    List<Subject> machines =
        java.util.stream.Stream.generate(() -> Samples.chanceMachine(random)).limit(20).toList();
    List<WhatIf.Choice> choices =
        List.of(
            new WhatIf.Choice(50, 0, Commitment.NONE, BigDecimal.TEN),
            new WhatIf.Choice(95, 30, Commitment.ONE_YEAR, Assumptions.ALL_HOURS),
            new WhatIf.Choice(100, 100, Commitment.NONE, Assumptions.ALL_HOURS));
    WhatIf grid = new WhatIf(o, Samples.USUAL, choices);
    machines.forEach(grid::add);
    for (WhatIf.Point p : grid.points()) {
      WhatIf.Choice c = p.choice();
      Sizing sizing =
          new Sizing(
              o,
              Samples.USUAL.choosing(
                  c.percentile(),
                  Assumptions.Headroom.all(c.headroomPercent()),
                  c.commitment(),
                  c.hoursAWeek()));
      assertEquals(
          machines.stream()
              .map(m -> sizing.size(Basis.OBSERVED, m).monthly().orElseThrow())
              .reduce(BigDecimal.ZERO, BigDecimal::add),
          p.monthly());
      assertEquals(
          machines.stream().filter(m -> sizing.size(Basis.OBSERVED, m).above()).count(), p.above());
      assertEquals(20, p.machines());
    }
    assertEquals(0, grid.points().get(2).above());
    assertTrue(grid.points().get(0).aboveHours() > 0);
    assertThrows(IllegalArgumentException.class, () -> new WhatIf(o, Samples.USUAL, List.of()));
  }

  @Test
  void aGridHasEachOfTheValuesWithEachOfTheOthers() {
    List<WhatIf.Choice> grid =
        WhatIf.grid(
            Samples.USUAL, List.of(50.0, 95.0), List.of(), List.of(Commitment.NONE), List.of());
    assertEquals(
        List.of(
            new WhatIf.Choice(
                50, Samples.USUAL.headroom().cpu(), Commitment.NONE, Samples.USUAL.hoursAWeek()),
            new WhatIf.Choice(
                95, Samples.USUAL.headroom().cpu(), Commitment.NONE, Samples.USUAL.hoursAWeek())),
        grid);
    List<Double> many = java.util.Collections.nCopies(65536, 50.0);
    List<BigDecimal> hours = java.util.Collections.nCopies(65536, BigDecimal.TEN);
    // 2^64 of them: neither an int nor a long tells that these are too many.
    assertThrows(
        IllegalArgumentException.class,
        () ->
            WhatIf.grid(
                Samples.USUAL,
                many,
                many,
                java.util.Collections.nCopies(65536, Commitment.NONE),
                hours));
  }

  @Test
  void aPointIsAmongTheBestUnlessAnotherIsBetterInOneAndNoWorseInTheOther() {
    WhatIf.Point cheap = point("10.00", 5);
    WhatIf.Point safe = point("20.00", 0);
    WhatIf.Point same = point("10.00", 5);
    WhatIf.Point dear = point("20.00", 1);
    List<WhatIf.Point> all = List.of(cheap, safe, same, dear);
    assertTrue(cheap.bestOf(all));
    assertTrue(same.bestOf(all));
    assertTrue(safe.bestOf(all));
    assertTrue(!dear.bestOf(all));
  }

  private static WhatIf.Point point(String monthly, int above) {
    return new WhatIf.Point(
        new WhatIf.Choice(95, 0, Commitment.NONE, BigDecimal.TEN),
        new BigDecimal(monthly),
        10,
        above,
        above,
        0);
  }

  @Test
  void assumptionsThatCantBeAreRefusedWithTheirName() {
    for (var make :
        List.<Runnable>of(
            () -> with(Commitment.NONE, "169", "0", "0"),
            () -> with(Commitment.NONE, "0", "0", "0"),
            () -> with(Commitment.NONE, "168", "100", "0"),
            () -> with(Commitment.NONE, "168", "0", "-1"),
            () -> Assumptions.Headroom.all(-1),
            () ->
                Samples.USUAL.choosing(
                    101, Assumptions.Headroom.all(0), Commitment.NONE, BigDecimal.TEN),
            () -> assumptions(Set.of(), Map.of("2", 0.0), Commitment.NONE, "1", "0", "0", 36))) {
      assertTrue(
          assertThrows(IllegalArgumentException.class, make::run).getMessage().contains("is not"));
    }
  }
}
