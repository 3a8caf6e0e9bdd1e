package bargelane.core.net;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.Nic;
import java.util.List;
import org.junit.jupiter.api.Test;

class HardwareAddressTest {

  @Test
  void oneIsTheSameHoweverItIsWritten() {
    assertEquals("52:54:00:ab:cd:ef", HardwareAddress.canonical("52:54:00:AB:cd:EF"));
    assertEquals("52:54:00:ab:cd:ef", HardwareAddress.canonical(" 52-54-00-ab-cd-ef "));
  }

  @Test
  void whatIsNoneGetsNowhere() {
    for (String told :
        new String[] {
          "",
          null,
          "52:54:00:ab:cd",
          "52:54:00:ab:cd:ef:01",
          "52:54:00:ab:cd:eg",
          "52:54:00:ab:cd:ef,romfile=/etc/shadow",
          "52:54:00:ab:cd:ef'/>",
          "52:54:00:ab:cd:ef\nx"
        }) {
      assertEquals("", HardwareAddress.canonical(told));
      assertEquals("", new Nic("net", "", told).mac());
      assertEquals("", new PlacedNic("net", "", false, told).mac());
      assertEquals("", new GuestFacts.Card("eth0", told, List.of()).mac());
    }
  }
}
