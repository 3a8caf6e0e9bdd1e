package bargelane.core.net;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class DestinationsTest {

  @ParameterizedTest
  @CsvSource({
    "10.20.0.0/16,      10.20.9.7,           22,   true",
    "10.20.0.0/16,      10.21.0.1,           22,   false",
    "10.20.0.0/16,      branch.example,      22,   false",
    "10.20.9.7,         10.20.9.7,           2222, true",
    "10.20.9.7:22,      10.20.9.7,           2222, false",
    "10.20.0.0/16:2222, 10.20.1.1,           2222, true",
    "*.branch.example,  a.branch.example,    22,   true",
    "*.branch.example,  A.Branch.Example.,   22,   true",
    "*.branch.example,  branch.example,      22,   false",
    "*.branch.example,  evilbranch.example,  22,   false",
    "*.branch.example,  a.branch.example.evil.example, 22, false",
    "branch.example:443, branch.example,     443,  true",
    "branch.example:443, branch.example,     8443, false",
    "fd00:20::/32,      fd00:20::7,          22,   true",
    "[fd00:20::7]:22,   fd00:20:0:0:0:0:0:7, 22,   true",
    "[fd00:20::7]:22,   fd00:20::7,          23,   false",
    "fd00:20::7,        10.20.9.7,           22,   false",
    "0.0.0.0/0,         fd00:20::7,          22,   false",
    "any,               anybody.example,     1,    true",
  })
  void aSecretGoesWhereItsEntriesSay(String entry, String host, int port, boolean allowed) {
    assertEquals(allowed, new Destinations(List.of(entry)).allow(host, port));
  }

  @Test
  void withoutEntriesItGoesNowhere() {
    assertFalse(Destinations.NONE.allow("10.20.9.7", 22));
    assertEquals("nobody", Destinations.NONE.toString());
  }

  @Test
  void oneOfManyIsEnough() {
    Destinations two = new Destinations(List.of("10.20.0.0/16", "vault.example"));
    assertTrue(two.allow("vault.example", 22));
    assertTrue(two.allow("10.20.0.1", 22));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        " ",
        "*",
        "*.",
        "a b",
        "10.20.0.0/33",
        "10.20.0",
        "10.20.9.300",
        "host:0",
        "host:70000",
        "host:",
        "https://host",
        "fd00::7:22x",
        "[fd00::7",
        "a..b",
        "-a",
        "*.*.example"
      })
  void whatIsNeitherHostNorRangeIsRefused(String entry) {
    assertThrows(IllegalArgumentException.class, () -> new Destinations(List.of(entry)));
  }

  @Test
  void aSitesOwnAddressIsAnEntry() {
    assertEquals("[fd00::7]:443", Destinations.entry("fd00::7", 443));
    assertTrue(
        new Destinations(List.of(Destinations.entry("127.0.0.1", 80))).allow("127.0.0.1", 80));
  }
}
