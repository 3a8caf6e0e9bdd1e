package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** A host's address: libvirt's own, with our settings that libvirt never sees. */
class SettingsTest {

  @Test
  void theSystemsDaemonNeedsNothingMore() {
    Settings s = Settings.parse("qemu:///system");
    assertEquals("qemu:///system", s.uri());
    assertEquals(Optional.empty(), s.ssh());
    assertEquals(Path.of("/run/libvirt/libvirt-sock"), s.socket());
    assertEquals("/run/bargelane", s.runtime());
    assertEquals("virtio", s.devices());
    assertEquals(4096, s.scratchMib());
    assertEquals(1024, s.reserveMib());
    assertEquals("", s.pool() + s.scratch() + s.yard());
  }

  @Test
  void ourSettingsAreTakenOutOfWhatLibvirtIsGiven() {
    Settings s =
        Settings.parse(
            "qemu:///session?socket=/tmp/h/s/libvirt-sock&pool=fast&devices=ide&scratch-mib=64"
                + "&reserve-mib=8&scratch=/var/tmp&yard=/opt/yard&mode=direct");
    assertEquals("qemu:///session?socket=/tmp/h/s/libvirt-sock&mode=direct", s.uri());
    assertEquals("fast", s.pool());
    assertEquals("ide", s.devices());
    assertEquals(64, s.scratchMib());
    assertEquals(8, s.reserveMib());
    assertEquals("/var/tmp", s.scratch());
    assertEquals("/opt/yard", s.yard());
    assertEquals(
        "/tmp/h/bl", s.runtime(), "beside the daemon's directory, so that paths are short");
  }

  @Test
  void anotherHostIsReachedAsAnAccountWithAKey() {
    Settings s =
        Settings.parse(
            "qemu+ssh://mover@10.20.7.9:2222/system?keyfile=/etc/k&known_hosts=/etc/h&runtime=/run/x");
    assertEquals(new Ssh.Address("mover", "10.20.7.9", 2222, "/etc/k", "/etc/h"), s.ssh().get());
    assertEquals("qemu:///system", s.uri(), "what libvirt is given on the host itself");
    assertEquals("/run/x", s.runtime());
    assertEquals("", Settings.parse("qemu+ssh://hithe/system").ssh().get().user());
  }

  @Test
  void anAddressOfTheSixthVersionLosesItsBrackets() {
    Settings s = Settings.parse("qemu+ssh://mover@[2001:db8::9]/system");
    assertEquals("2001:db8::9", s.ssh().get().host());
    assertEquals(0, s.ssh().get().port(), "the client's own");
  }

  @Test
  void whatIsEncodedIsRead() {
    assertEquals("/srv/a b", Settings.parse("qemu:///system?scratch=%2Fsrv%2Fa%20b").scratch());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "hithe",
        "http://hithe/system",
        "qemu:///somewhere",
        "qemu://hithe/system",
        "qemu+ssh:///system",
        "qemu:///system?a=b c",
      })
  void anythingElseIsNotAnAddressAndSaysSo(String address) {
    IllegalArgumentException e =
        assertThrows(IllegalArgumentException.class, () -> Settings.parse(address));
    assertTrue(e.getMessage().contains("'" + address + "' is not"), e.getMessage());
  }

  @ParameterizedTest
  @CsvSource({
    "qemu:///session, socket",
    "qemu:///system?devices=scsi, devices",
    "qemu:///system?scratch-mib=0, scratch-mib",
    "qemu:///system?reserve-mib=much, reserve-mib",
  })
  void aSettingThatCantBeUsedIsNamed(String address, String named) {
    IllegalArgumentException e =
        assertThrows(IllegalArgumentException.class, () -> Settings.parse(address));
    assertTrue(e.getMessage().contains(named), e.getMessage());
  }

  @Test
  void nonsenseForAnAddressIsRefusedWithAReason() {
    for (String address :
        List.of(
            "http://here",
            "qemu:///session",
            "qemu:///system?devices=wooden",
            "qemu+ssh:///system",
            "qemu+tcp://there/system",
            "qemu+ssh://there/session",
            "qemu:///system?scratch-mib=-3",
            "not a URI")) {
      assertTrue(
          assertThrows(
                      IllegalArgumentException.class,
                      () -> new LibvirtDriver("x", address, Clock.systemUTC()))
                  .getMessage()
                  .length()
              > 15);
    }
  }
}
