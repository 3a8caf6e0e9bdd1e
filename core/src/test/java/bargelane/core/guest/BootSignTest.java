package bargelane.core.guest;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Arrays;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class BootSignTest {

  /** Consoles of real systems, cut down to the lines that count. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "no-root-disk | ALERT!  UUID=1b0c does not exist.  Dropping to a shell!",
        "no-root-disk | [    4.31] VFS: Unable to mount root fs on unknown-block(0,0)",
        "no-root-disk | [  190.2] dracut-initqueue[301]: Warning: /dev/disk/by-uuid/1b0c does not exist",
        "kernel-panic | [    2.1] Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000100",
        "loader-stopped | grub rescue> ",
        "loader-stopped | error: no such device: 1b0c-77.",
        "loader-refused | BdsDxe: failed to load Boot0001 \"UEFI Misc Device\" from PciRoot(0x0)/Pci(0x1,0x2)/Pci(0x0,0x0): Access Denied",
        "no-bootable-disk | BdsDxe: No bootable option or device was found.",
        "no-bootable-disk | No bootable device.",
        "emergency-mode | You are in emergency mode. After logging in, type journalctl -xb",
        "emergency-mode | Give root password for maintenance",
        "initramfs-shell | (initramfs) ",
        "passphrase-asked | Please unlock disk sda3_crypt: ",
        "network-failed | [FAILED] Failed to start networking.service - Raise network interfaces.",
        "silent-since-firmware | Booting from Hard Disk...",
        "login-reached | stock-list login: ",
      })
  void aConsoleTellsHowAStartGoes(String word, String line) {
    String console = "Linux version 6.1.0\n" + line + "\n";
    BootSign.Seen seen =
        BootSign.in(ConsoleText.of(console.getBytes(StandardCharsets.UTF_8))).orElseThrow();
    assertEquals(word, seen.sign().word());
    assertEquals(line.strip(), seen.line());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "systemd[1]: emergency.service: was not needed",
        "GRUB loading...",
        "[  OK  ] Started serial-getty@ttyS0.service.",
        "a log says that You are in emergency mode is the sentence to look for",
      })
  void whatOnlyLooksLikeOneIsNone(String line) {
    assertEquals(Optional.empty(), BootSign.in(line + "\n"));
  }

  @Test
  void aLoaderThatTellsSomethingIsNotSilent() {
    assertEquals(Optional.empty(), BootSign.in("Booting from Hard Disk...\nGRUB loading.\n"));
  }

  @Test
  void whatWentBeforeAnEmergencyIsQuoted() {
    String console =
        "[ TIME ] Timed out waiting for device dev-disk-by\\x2duuid-77.device.\n"
            + "[DEPEND] Dependency failed for srv.mount - /srv.\n"
            + "You are in emergency mode. After logging in\n";
    BootSign.Seen seen = BootSign.in(console).orElseThrow();
    assertEquals(BootSign.EMERGENCY, seen.sign());
    assertTrue(seen.line().startsWith("[ TIME ] Timed out waiting"), seen.line());
  }

  @Test
  void whatSaysMostCountsBeforeWhatFollowsFromIt() {
    assertEquals(
        BootSign.NO_ROOT_DISK,
        BootSign.in("ALERT!  UUID=1 does not exist.  Dropping to a shell!\n(initramfs) ")
            .orElseThrow()
            .sign());
  }

  @Test
  void coloursCursorsAndControlsAreNoText() {
    byte[] raw =
        "\u001b[2J\u001b[01;32mok\u001b[0m\r\r\nb\u0000ell\u0007\rnext\u001b]0;title\u0007\u001b(B \n\n\n\n"
            .getBytes(StandardCharsets.UTF_8);
    assertEquals("ok\nbell\nnext", ConsoleText.of(raw));
    assertEquals("\ufffd", ConsoleText.of(new byte[] {(byte) 0xff}));
    String cut = "for device \u001b[0;1;\u2026555.device\u001b[0m.";
    assertEquals(
        "for device \u2026555.device.", ConsoleText.of(cut.getBytes(StandardCharsets.UTF_8)));
    byte[] returns = new byte[ConsoleText.MOST];
    Arrays.fill(returns, (byte) '\r');
    assertTimeoutPreemptively(Duration.ofSeconds(5), () -> ConsoleText.of(returns));
  }
}
