package bargelane.service.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.FindingView;
import bargelane.service.replication.MemberEntity;
import java.util.List;
import org.junit.jupiter.api.Test;

/** Networks whose range is at both ends. */
class SpansTest extends LanePlansFixture {

  private void talk(String... clientsAndServers) {
    db.run(
        s -> {
          for (int i = 0; i < clientsAndServers.length; i += 2) {
            s.createNativeMutationQuery(
                    "insert into connection (observer, client, server, protocol, port, process,"
                        + " count, bytes, first_seen, last_seen) values ('home', cast(:client as inet),"
                        + " cast(:server as inet), 'tcp', 445, '', 70, 1, now(), now())")
                .setParameter("client", clientsAndServers[i])
                .setParameter("server", clientsAndServers[i + 1])
                .executeUpdate();
          }
        });
  }

  private String span() {
    return plans.spans("over").stream()
        .map(
            v ->
                v.network()
                    + " "
                    + v.range()
                    + " to "
                    + v.subnet()
                    + " "
                    + v.span()
                    + ": "
                    + v.staying()
                    + " stay, "
                    + v.moved()
                    + " moved, "
                    + v.waves()
                    + " waves, "
                    + v.across()
                    + " across")
        .findFirst()
        .orElse("none");
  }

  private List<String> divided(String name) {
    return placed(name).findings().stream()
        .filter(f -> f.code().equals("range-divided"))
        .map(FindingView::cause)
        .toList();
  }

  @Test
  void aRangeThatIsAtOneEndOnlyDividesNobody() {
    talk("10.0.0.12", "10.0.0.11");
    assertEquals("none", span());
    assertEquals(List.of(), divided("host1"));
  }

  @Test
  void neighboursThatTalkAndMoveAtDifferentTimesAreToldUntilTheNetworkIsExtended() {
    decide(change("network", "front", "subnet", "same"));
    assertEquals("front 10.0.0.0/24 to same : 5 stay, 0 moved, 2 waves, 0 across", span());
    assertEquals(List.of(), divided("host1"), "nobody was seen to talk");

    // The other wave's, one in none, each once whoever began; not one outside of the range, nor
    // two that are in no wave.
    talk("10.0.0.12", "10.0.0.11", "10.0.0.11", "10.0.0.12", "10.0.0.11", "10.0.0.13");
    talk("192.0.2.9", "10.0.0.11", "10.0.0.14", "10.0.0.15");
    assertEquals(
        List.of(
            "2 machines of 10.0.0.0/24 talk with it and are not in wave wave1 (host2, host3): the"
                + " range is at both ends, so while they are at different ones they do not reach"
                + " each other"),
        divided("host1"));
    assertTrue(divided("host2").get(0).startsWith("1 machine of 10.0.0.0/24 talks with it"));
    assertEquals(List.of(), divided("host3"), "it is in no wave yet");
    assertEquals("front 10.0.0.0/24 to same : 5 stay, 0 moved, 2 waves, 3 across", span());
    assertTrue(
        plans.page("over", "", true, 0, 10).items().stream()
            .anyMatch(p -> p.machine().equals("host2")));

    db.run(
        s ->
            s.createNativeMutationQuery("update tow set landed = true where id = 'tow2'")
                .executeUpdate());
    assertEquals("front 10.0.0.0/24 to same : 4 stay, 1 moved, 2 waves, 3 across", span());
    decide(change("network", "front", "span", "extended"));
    assertEquals(List.of(), divided("host1"));
    assertEquals("front 10.0.0.0/24 to same extended: 4 stay, 1 moved, 2 waves, 3 across", span());
    assertEquals(
        "span-unknown", refused(() -> decide(change("network", "front", "span", "stretched"))));
    assertEquals("scope-unfit", refused(() -> decide(change("lane", "", "span", "extended"))));
  }

  @Test
  void machinesOfOneWaveMoveTogether() {
    decide(change("network", "front", "subnet", "same"));
    talk("10.0.0.13", "10.0.0.11");
    db.run(
        s -> {
          MemberEntity member = s.find(MemberEntity.class, "mem2");
          member.towId = "tow1";
          member.machineId = "m-3";
        });
    assertEquals(List.of(), divided("host1"));
    assertEquals("front 10.0.0.0/24 to same : 5 stay, 0 moved, 1 waves, 0 across", span());
  }
}
