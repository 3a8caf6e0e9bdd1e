package bargelane.core;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Suggestions;
import bargelane.core.lane.Suggestions.Kind;
import bargelane.core.lane.Suggestions.Load;
import bargelane.core.lane.Suggestions.Suggestion;
import bargelane.core.lane.Suggestions.Traffic;
import bargelane.core.lane.Suggestions.Use;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Storage;
import bargelane.core.site.Inventory.StorageLimits;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class SuggestionsTest {

  private static final LanePlan NOTHING = new LanePlan(Map.of(), Map.of(), "", true);

  private static Network network(String id, String name, String cidr) {
    return new Network(id, name, "", cidr, false);
  }

  private static Storage storage(String id, String media, long gib) {
    return new Storage(id, id, media, BigDecimal.ONE, "EUR", new StorageLimits(gib, 0, 0));
  }

  private static Inventory shore(List<Network> networks, List<Storage> storages) {
    return new Inventory(
        List.of(), networks, storages, List.of(), List.of(), new Quota(9, 0, 9, 0));
  }

  private static List<Suggestion> of(
      List<Network> from, List<Network> to, Map<String, List<String>> addresses) {
    return Suggestions.of(
        NOTHING,
        shore(from, List.of()),
        shore(to, List.of()),
        addresses,
        Map.of(),
        Map.of(),
        List.of());
  }

  private static List<String> addresses(String prefix, int count) {
    return IntStream.range(10, 10 + count).mapToObj(i -> prefix + i).toList();
  }

  @Test
  void addressesThatCanBeKeptOutweighNames() {
    Suggestion s =
        of(
                List.of(network("net-1", "staff", "10.20.1.0/24")),
                List.of(
                    network("sub-1", "staff", "10.70.0.0/24"),
                    network("sub-2", "harbour", "10.20.1.0/24")),
                Map.of("net-1", addresses("10.20.1.", 14)))
            .get(0);
    assertEquals("sub-2", s.to());
    assertTrue(s.clear());
    assertEquals(
        List.of("all its 14 addresses fit into 10.20.1.0/24 and can be kept"), s.reasons());
    assertEquals(List.of("sub-1"), s.others());
  }

  @Test
  void whereNoAddressFitsTheNameCountsAndItIsSaid() {
    Suggestion s =
        of(
                List.of(network("net-archive", "archive", "10.60.0.0/22")),
                List.of(
                    network("sub-archive", "archive", "10.61.0.0/22"),
                    network("sub-staff", "staff", "10.20.1.0/24")),
                Map.of("net-archive", addresses("10.60.0.", 2)))
            .get(0);
    assertEquals("sub-archive", s.to());
    assertTrue(s.clear());
    assertEquals(
        List.of(
            "none of its 2 addresses fits into 10.61.0.0/22: its machines get new ones",
            "both are called archive"),
        s.reasons());
  }

  @Test
  void aSubnetThatIsTooSmallOrFullOrIsolatedIsNone() {
    List<Network> from = List.of(network("net-1", "archive", "10.60.0.0/22"));
    List<Network> to =
        List.of(
            network("narrow", "archive", "10.60.0.0/30"),
            network("full", "archive", "10.60.0.0/28"),
            new Network("apart", "archive", "", "10.60.0.0/22", true));
    assertEquals(
        List.of(),
        Suggestions.of(
            NOTHING,
            shore(from, List.of()),
            shore(to, List.of()),
            Map.of("net-1", addresses("10.60.0.", 4)),
            Map.of("full", addresses("10.60.0.", 10)),
            Map.of(),
            List.of()));
  }

  @Test
  void whatComesCloseIsForSomebodyToChoose() {
    Suggestion s =
        of(
                List.of(network("net-rooms", "rooms", "")),
                List.of(network("a", "rooms", ""), network("b", "net rooms", "")),
                Map.of())
            .get(0);
    assertFalse(s.clear());
    assertEquals("a", s.to());
    assertEquals(List.of("b"), s.others());
  }

  @Test
  void storagesGoByMediaAndTheirLargestDisk() {
    Inventory source =
        shore(List.of(), List.of(storage("shelf-a", "ssd", 0), storage("shelf-b", "disk", 0)));
    Inventory target =
        shore(
            List.of(),
            List.of(storage("reed", "ssd", 16), storage("mud", "disk", 16), storage("x", "", 99)));
    List<Suggestion> all =
        Suggestions.of(
            NOTHING,
            source,
            target,
            Map.of(),
            Map.of(),
            Map.of(
                "shelf-a",
                new Load(3, 8L << 30, Use.NONE),
                "shelf-b",
                new Load(1, 40L << 30, Use.NONE)),
            List.of());
    assertEquals("reed", all.get(0).to());
    assertEquals(Kind.STORAGE, all.get(0).kind());
    assertEquals(List.of("both are of media ssd"), all.get(0).reasons());
    assertEquals("mud", all.get(1).to());
    assertFalse(all.get(1).clear(), "it is somebody's to choose: another class, or two joins");
    assertEquals(
        List.of(
            "both are of media disk",
            "its largest disk has 40GiB, and a disk of this class 16GiB at most"),
        all.get(1).reasons());
    assertEquals(List.of("x"), all.get(1).others(), "the only one that holds it");
  }

  private static Suggestion stored(Use use, Storage... classes) {
    return Suggestions.of(
            NOTHING,
            shore(List.of(), List.of(storage("shelf", "ssd", 0))),
            shore(List.of(), List.of(classes)),
            Map.of(),
            Map.of(),
            Map.of("shelf", new Load(4, 8L << 30, use)),
            List.of())
        .get(0);
  }

  private static Storage limited(String id, double operations, double mib) {
    return new Storage(
        id, id, "ssd", BigDecimal.ONE, "EUR", new StorageLimits(16, operations, mib));
  }

  @Test
  void aClassThatDoesNotCarryTheBusiestDiskIsNotClear() {
    Suggestion s = stored(new Use(820, 4.5, Map.of("quick", 1L)), limited("slow", 500, 0));
    assertFalse(s.clear());
    assertEquals(
        List.of(
            "both are of media ssd",
            "its busiest disk needs 820 operations and 4.5 MiB a second, and a disk of this class"
                + " 500 operations at most"),
        s.reasons());
  }

  @Test
  void ofTwoLikeClassesTheOneThatTheDisksWereAssessedForIsSuggested() {
    Suggestion s =
        stored(
            new Use(90, 4.5, Map.of("a", 1L, "b", 3L)),
            limited("a", 500, 50),
            limited("b", 500, 50));
    assertEquals("b", s.to());
    assertTrue(s.clear());
    assertEquals(
        "the assessment whose sizes were accepted puts 3 of its 4 measured disks in this class",
        s.reasons().get(1));
  }

  /** Two subnets in two zones that only traffic tells apart. */
  private static List<Suggestion> talking(Map<String, String> joined, Traffic... traffic) {
    return Suggestions.of(
        new LanePlan(joined, Map.of(), "", true),
        shore(
            List.of(network("n1", "desks", "10.1.0.0/24"), network("n2", "rooms", "10.2.0.0/24")),
            List.of()),
        shore(
            List.of(
                new Network("t1", "alder", "west", "10.8.0.0/24", false),
                new Network("t2", "birch", "east", "10.9.0.0/24", false)),
            List.of()),
        Map.of(),
        Map.of(),
        Map.of(),
        List.of(traffic));
  }

  @Test
  void aNetworkGoesWhereItIsSeenToTalk() {
    assertEquals(List.of(), talking(Map.of()));
    Suggestion there = talking(Map.of(), new Traffic("n1", "t2", true, 3, 5L << 20)).get(0);
    assertEquals("t2", there.to());
    assertEquals(
        List.of("its machines were seen to talk with 3 addresses of machines there, 5MiB"),
        there.reasons());
  }

  @Test
  void aNetworkGoesToTheZoneOfTheOneThatItExchangesMostWith() {
    Traffic[] seen = {
      new Traffic("n1", "n1", false, 9, 9L << 30), new Traffic("n1", "n2", false, 3, 5L << 20)
    };
    assertEquals(List.of(), talking(Map.of(), seen), "its partner is joined to nothing yet");
    Suggestion near = talking(Map.of("n2", "t2"), seen).get(0);
    assertEquals("t2", near.to());
    assertEquals(
        List.of("it exchanges most with rooms (5MiB), which is joined to zone east too"),
        near.reasons());
  }

  @Test
  void suggestionsAreOfWhatIsThereAndNotJoinedAndHold() {
    for (int seed = 0; seed < 500; seed++) {
      Random random = new Random(seed);
      List<Network> from = some("n", random);
      List<Network> to = some("t", random);
      Map<String, String> joined = new HashMap<>();
      Map<String, List<String>> own = new HashMap<>();
      for (Network n : from) {
        if (random.nextInt(4) == 0 && !to.isEmpty()) {
          joined.put(n.id(), to.get(0).id());
        }
        own.put(n.id(), addresses("10.0." + random.nextInt(4) + ".", random.nextInt(20)));
      }
      LanePlan plan = new LanePlan(joined, Map.of(), "", true);
      List<Suggestion> all =
          Suggestions.of(
              plan,
              shore(from, List.of()),
              shore(to, List.of()),
              own,
              Map.of(),
              Map.of(),
              List.of());
      List<String> seen = new ArrayList<>(joined.keySet());
      for (Suggestion s : all) {
        assertFalse(seen.contains(s.from()), "seed " + seed);
        seen.add(s.from());
        Network there = to.stream().filter(t -> t.id().equals(s.to())).findFirst().orElseThrow();
        assertFalse(there.isolated(), "seed " + seed);
        assertFalse(s.reasons().isEmpty(), "seed " + seed);
        assertFalse(s.others().contains(s.to()), "seed " + seed);
        int bits = Integer.parseInt(there.cidr().replaceAll(".*/", ""));
        assertTrue((1 << (32 - bits)) - 3 >= own.get(s.from()).size(), "seed " + seed);
      }
    }
  }

  private static List<Network> some(String prefix, Random random) {
    return IntStream.range(0, random.nextInt(6))
        .mapToObj(
            i ->
                new Network(
                    prefix + i,
                    List.of("staff", "data", "", "staff data").get(random.nextInt(4)),
                    "",
                    "10.0." + random.nextInt(4) + ".0/" + (24 + random.nextInt(7)),
                    random.nextInt(5) == 0))
        .toList();
  }
}
