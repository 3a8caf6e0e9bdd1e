package bargelane.core.net;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import inet.ipaddr.IPAddress;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;

class AddressTest {

  @Test
  void whatLooksLikeAnAddressIsOneOnlyIfItIsOneWhenReadInFull() {
    Random random = new Random(20261201);
    String signs = "0123456789.";
    List<String> numbers =
        List.of("0", "1", "9", "10", "99", "127", "255", "256", "01", "", "1000");
    int addresses = 0;
    for (int i = 0; i < 20_000; i++) {
      StringBuilder text = new StringBuilder();
      int parts = 3 + random.nextInt(10) / 4;
      for (int p = 0; p < parts; p++) {
        text.append(p == 0 ? "" : ".").append(numbers.get(random.nextInt(numbers.size())));
      }
      if (random.nextInt(4) == 0) {
        text.insert(
            random.nextInt(text.length() + 1), signs.charAt(random.nextInt(signs.length())));
      }
      Optional<String> read = Address.read(text.toString()).map(IPAddress::toCanonicalString);
      assertEquals(read, Address.canonical(text.toString()), text.toString());
      assertEquals(read.isPresent(), Address.valid(text.toString()), text.toString());
      addresses += read.isPresent() ? 1 : 0;
    }
    assertTrue(addresses > 100, addresses + " of them are addresses");
  }

  @Test
  void addressesAreWrittenInOneWay() {
    assertEquals(Optional.of("10.0.0.1"), Address.canonical("10.0.0.1"));
    assertEquals(Optional.of("2001:db8::22"), Address.canonical("2001:DB8:0:0::22"));
    for (String none : new String[] {null, "", "10.0.0.1/24", "10.0.0.*", "10.1", "host"}) {
      assertEquals(Optional.empty(), Address.canonical(none), none);
    }
  }
}
