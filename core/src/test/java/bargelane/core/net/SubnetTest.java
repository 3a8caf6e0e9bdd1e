package bargelane.core.net;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;

class SubnetTest {

  private static Subnet subnet(String cidr) {
    return Subnet.of(cidr).orElseThrow();
  }

  @Test
  void whatIsNoRangeIsNone() {
    for (String bad :
        List.of(
            "",
            "10.0.0.0",
            "10.0.0.0/40",
            "10.0.0/24",
            "2001:db8::/129",
            "net/8",
            "10.0.0.0/",
            "/8",
            "*/8",
            "10.0.0.0/255.0.0.0")) {
      assertEquals(Optional.empty(), Subnet.of(bad).map(Object::toString), bad);
    }
    assertTrue(Subnet.of(null).isEmpty());
  }

  @Test
  void rangesHoldAddressesOfTheirOwnVersionOnly() {
    assertTrue(subnet("10.0.0.0/25").contains("10.0.0.127"));
    assertFalse(subnet("10.0.0.0/25").contains("10.0.0.128"));
    assertTrue(subnet("2001:db8:7::/64").contains("2001:DB8:7:0::22"));
    assertFalse(subnet("2001:db8:7::/64").contains("2001:db8:8::22"));
    assertFalse(subnet("10.0.0.0/25").contains("2001:db8::1"));
    assertFalse(subnet("0.0.0.0/0").contains("::a00:1"));
    assertTrue(subnet("0.0.0.0/0").contains("255.255.255.255"));
    assertTrue(subnet("128.0.0.0/1").contains("200.1.2.3"));
    assertFalse(subnet("128.0.0.0/1").contains("127.255.255.255"));
    assertFalse(subnet("::/0").contains("10.0.0.1"));
    assertFalse(subnet("10.0.0.0/25").contains("10.0.0.01"));
    assertFalse(subnet("10.0.0.0/25").contains("nonsense"));
    assertFalse(subnet("10.0.0.0/25").contains(""));
  }

  @Test
  void anAddressWithBitsOfTheHostIsTheNetworkItLiesIn() {
    assertEquals("10.20.30.0/24", subnet("10.20.30.17/24").toString());
    assertEquals("255.255.255.0", subnet("10.20.30.17/24").netmask());
    assertEquals("10.20.30.1", subnet("10.20.30.17/24").firstAddress());
    assertEquals("2001:db8::1", subnet("2001:db8::/64").firstAddress());
  }

  @Test
  void aMaskIsAPrefixOrNothing() {
    assertEquals(
        "10.20.0.0/16", Subnet.masked("10.20.1.1", "255.255.0.0").orElseThrow().toString());
    assertTrue(Subnet.masked("10.20.1.1", "255.0.255.0").isEmpty());
    assertTrue(Subnet.masked("10.20.1.1", "").isEmpty());
  }

  @Test
  void theLowestFreeAddressIsGivenOut() {
    assertEquals(Optional.of("10.9.0.2"), subnet("10.9.0.0/24").free("", "", Set.of()::contains));
    assertEquals(
        Optional.of("10.9.0.3"), subnet("10.9.0.0/24").free("", "", Set.of("10.9.0.2")::contains));
    assertEquals(
        Optional.of("2001:db8::3"),
        subnet("2001:db8::/64").free("", "", Set.of("2001:db8::2")::contains));
    // A /30 has two addresses for hosts, and the first is the gateway's.
    assertEquals(Optional.of("10.9.0.2"), subnet("10.9.0.0/30").free("", "", Set.of()::contains));
    assertEquals(
        Optional.empty(), subnet("10.9.0.0/30").free("", "", Set.of("10.9.0.2")::contains));
    assertEquals(Optional.empty(), subnet("10.9.0.0/32").free("", "", Set.of()::contains));
    assertEquals(Optional.empty(), subnet("10.9.0.0/31").free("", "", Set.of()::contains));
    assertEquals(Optional.empty(), subnet("2001:db8::/128").free("", "", Set.of()::contains));
  }

  @Test
  void everyAddressIsGivenOutOnceUntilTheRangeIsFull() {
    Set<String> taken = new HashSet<>();
    Optional<String> next = subnet("192.0.2.0/26").free("", "", taken::contains);
    while (next.isPresent()) {
      assertTrue(taken.add(next.get()));
      next = subnet("192.0.2.0/26").free("", "", taken::contains);
    }
    assertEquals(64 - 3, taken.size());
  }

  @Test
  void rangesThatShareAnAddressOverlap() {
    assertTrue(subnet("10.0.0.0/8").overlaps(subnet("10.3.0.0/16")));
    assertFalse(subnet("10.0.0.0/16").overlaps(subnet("10.1.0.0/16")));
    assertFalse(subnet("10.0.0.0/16").overlaps(subnet("2001:db8::/32")));
  }

  @Test
  void addressesAreReadStrictlyAndWrittenOneWay() {
    for (String bad :
        List.of(
            "10.0.0",
            "10.0.0.256",
            "10.0.0.x",
            "",
            "1.2.3.4.5",
            "10",
            "010.0.0.1",
            "0x0a.1.2.3",
            "10.0.0.0/8",
            "10.0.0.*",
            "10.0.0.1-7",
            "1:2:3",
            "::g",
            "host",
            "10.0.0.1:80",
            "[::1]")) {
      assertFalse(Address.valid(bad), bad);
    }
    assertFalse(Address.valid(null));
    assertTrue(Address.valid("10.0.0.7"));
    assertEquals(Optional.of("2001:db8::22"), Address.canonical("2001:0DB8:0:0:0:0:0:22"));
    assertTrue(Address.six("fe80::1"));
    assertFalse(Address.six("10.0.0.7"));
  }
}
