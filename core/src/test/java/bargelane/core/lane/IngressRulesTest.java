package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.lane.IngressRules.Seen;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Ingress;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;

class IngressRulesTest {

  private static Subnet range(String cidr) {
    return Subnet.of(cidr).orElseThrow();
  }

  private static final List<Subnet> NETWORKS =
      List.of(range("10.20.1.0/24"), range("10.20.0.0/16"), range("10.61.0.0/22"));

  @Test
  void rulesAreReadAsTheyAreWritten() {
    List<Ingress> rules =
        List.of(new Ingress("tcp", 5432, "10.20.1.0/24"), new Ingress("udp", 53, ""));
    String text = "tcp/5432 from 10.20.1.0/24; udp/53 from any";
    assertEquals(text, IngressRules.text(rules));
    assertEquals(Optional.of(rules), IngressRules.read(text));
    assertEquals(Optional.of(List.of()), IngressRules.read("none"));
    assertEquals("none", IngressRules.text(List.of()));
    assertEquals(
        Optional.of(List.of(new Ingress("tcp", 22, "192.0.2.7/32"))),
        IngressRules.read(" tcp/22 from 192.0.2.7 "));
    for (String bad :
        List.of(
            "",
            ";",
            "tcp/0 from any",
            "tcp/65536 from any",
            "tcp/22",
            "icmp/1 from any",
            "tcp/22 from 10.0.0.300",
            "tcp/22 from 10.0.0.0/33",
            "tcp/22 from any;",
            "tcp/22 from any; ".repeat(300) + "tcp/22 from any")) {
      assertEquals(Optional.empty(), IngressRules.read(bad), bad);
    }
  }

  @Test
  void whoeverComesFromAnotherAddressAfterTheMoveIsCutToo() {
    List<Ingress> asItIs = List.of(new Ingress("tcp", 445, "10.60.0.0/22"));
    Seen stays = new Seen("tcp", 445, "10.60.0.9", "", 3);
    Seen moves = new Seen("tcp", 445, "10.60.0.12", "10.61.0.5", 3);
    Seen other = new Seen("tcp", 22, "10.60.0.9", "", 3);
    assertEquals(List.of(moves, other), IngressRules.cut(asItIs, List.of(stays, moves, other)));
  }

  @Test
  void theProposalIsOfKnownNetworksAndOfSingleAddressesElsewhere() {
    List<Seen> seen = new ArrayList<>();
    seen.add(new Seen("tcp", 445, "10.20.1.7", "", 1));
    seen.add(new Seen("tcp", 445, "10.20.1.8", "10.61.0.5", 1));
    seen.add(new Seen("tcp", 445, "192.0.2.9", "", 1));
    seen.add(new Seen("udp", 53, "10.20.9.9", "", 1));
    assertEquals(
        "tcp/445 from 10.20.1.0/24; tcp/445 from 10.61.0.0/22; tcp/445 from 192.0.2.9/32;"
            + " udp/53 from 10.20.0.0/16",
        IngressRules.text(IngressRules.smallest(seen, List.of(), NETWORKS)));
    for (int i = 0; i < 9; i++) {
      seen.add(new Seen("tcp", 80, "198.51.100." + i, "", 1));
    }
    assertTrue(
        IngressRules.text(IngressRules.smallest(seen, List.of(), NETWORKS))
            .contains("tcp/80 from 198.51.100.0/24"));
  }

  @Test
  void aPortThatIsOpenToEverybodyAndInUseStaysOpen() {
    List<Ingress> rules = List.of(new Ingress("tcp", 443, "0.0.0.0/0"), new Ingress("tcp", 80, ""));
    List<Seen> seen =
        List.of(
            new Seen("tcp", 443, "198.51.100.9", "", 1), new Seen("tcp", 22, "10.20.1.7", "", 1));
    assertEquals(
        "tcp/22 from 10.20.1.0/24; tcp/443 from 0.0.0.0/0",
        IngressRules.text(IngressRules.smallest(seen, rules, NETWORKS)));
    List<Seen> six = List.of(new Seen("tcp", 443, "2001:db8::9", "", 1));
    assertEquals(
        "tcp/443 from 2001:db8::9/128",
        IngressRules.text(IngressRules.smallest(six, rules, NETWORKS)),
        "it is open to everybody of the other version of IP only");
  }

  /** What is proposed can be decided, whoever was seen. */
  @Test
  void clientsFromEverywhereAreToldByLargerBlocks() {
    Random random = new Random(4);
    for (int[] many : new int[][] {{300, 16}, {5_000, 8}, {2_000, 0}}) {
      List<Seen> seen = new ArrayList<>();
      for (int i = 0; i < many[0]; i++) {
        int at = random.nextInt() >>> 1;
        String four = many[1] == 0 ? "" + (1 + (at >>> 24)) : many[1] == 8 ? "100" : "100.64";
        for (int b = many[1] == 16 ? 8 : 16; b >= 0; b -= 8) {
          four += "." + (at >>> b & 255);
        }
        String client = i % 3 == 0 ? String.format("2001:db8:%x::7", at & 0xffff) : four;
        seen.add(new Seen("tcp", 80 + i % 3, client, "", 1));
      }
      List<Ingress> rules = IngressRules.smallest(seen, List.of(), NETWORKS);
      assertEquals(Optional.of(rules), IngressRules.read(IngressRules.text(rules)), "" + many[0]);
      assertTrue(IngressRules.text(rules).length() <= IngressRules.LONGEST);
      assertEquals(List.of(), IngressRules.cut(rules, seen));
    }
    List<Seen> ports = new ArrayList<>();
    for (int i = 1; i <= 201; i++) {
      ports.add(new Seen("tcp", i, "192.0.2.9", "", 1));
    }
    List<Ingress> some = List.of(new Ingress("tcp", 22, ""));
    assertEquals(some, IngressRules.smallest(ports, some, NETWORKS));
    assertEquals(200, IngressRules.smallest(ports.subList(0, 200), List.of(), NETWORKS).size());
  }

  /** Nothing that was seen is cut, and no rule could be left out. */
  @Test
  void theProposalLetsInAllThatWasSeenWithNoRuleTooMany() {
    Random random = new Random(9);
    String[] nets = {"10.20.1.", "10.20.9.", "10.61.1.", "192.0.2.", "2001:db8::"};
    for (int round = 0; round < 300; round++) {
      List<Seen> seen = new ArrayList<>();
      for (int i = random.nextInt(40); i >= 0; i--) {
        String client = nets[random.nextInt(nets.length)] + (1 + random.nextInt(9));
        String next = random.nextInt(3) == 0 ? "10.61.0." + (2 + random.nextInt(9)) : "";
        seen.add(
            new Seen(random.nextBoolean() ? "tcp" : "udp", 1 + random.nextInt(3), client, next, 1));
      }
      List<Ingress> rules = IngressRules.smallest(seen, List.of(), NETWORKS);
      assertEquals(List.of(), IngressRules.cut(rules, seen), rules.toString());
      for (Ingress r : rules) {
        List<Ingress> fewer = new ArrayList<>(rules);
        fewer.remove(r);
        assertTrue(!IngressRules.cut(fewer, seen).isEmpty(), r + " of " + rules);
      }
      assertEquals(Optional.of(rules), IngressRules.read(IngressRules.text(rules)));
    }
  }
}
