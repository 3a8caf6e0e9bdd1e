package bargelane.core.site;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.MachineDiff.Change;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class MachineDiffTest {

  private static MachineFacts machine(
      long memory, List<Disk> disks, Map<String, String> labels, GuestFacts guest) {
    return new MachineFacts(
        "vm-1",
        "lending-db",
        4,
        memory,
        "Debian",
        "uefi",
        true,
        false,
        disks,
        List.of(new Nic("data", "10.20.8.21", "52:54:00:14:08:21")),
        List.of(),
        labels,
        "",
        null,
        guest);
  }

  private static GuestFacts guest(String kernel, long used, Instant readAt) {
    return new GuestFacts(
        "lending-db",
        "Debian",
        kernel,
        List.of(new GuestFacts.FileSystem("/", "ext4", 1000, used)),
        List.of(),
        readAt,
        "");
  }

  @Test
  void everyFactThatChangedIsNamedWithWhatItWasAndIs() {
    MachineFacts former =
        machine(
            4096,
            List.of(new Disk("system", 20L << 30, "shelf-a")),
            Map.of("app", "lending", "old", "yes"),
            guest("6.1", 10, Instant.EPOCH));
    MachineFacts present =
        machine(
            8192,
            List.of(
                new Disk("system", 20L << 30, "shelf-b"), new Disk("data", 1L << 30, "shelf-a")),
            Map.of("app", "loans"),
            guest("6.2", 10, Instant.EPOCH));
    assertEquals(
        List.of(
            new Change("disk 0", "system, 20GiB on shelf-a", "system, 20GiB on shelf-b"),
            new Change("disk 1", "", "data, 1GiB on shelf-a"),
            new Change("kernel", "6.1", "6.2"),
            new Change("label app", "lending", "loans"),
            new Change("label old", "yes", ""),
            new Change("memory", "4GiB", "8GiB")),
        MachineDiff.of(former, present));
  }

  @Test
  void whatChangesByItselfIsNoDifference() {
    assertEquals(
        List.of(),
        MachineDiff.of(
            machine(4096, List.of(), Map.of(), guest("6.1", 10, Instant.EPOCH)),
            machine(4096, List.of(), Map.of(), guest("6.1", 999, Instant.EPOCH.plusSeconds(60)))));
  }
}
