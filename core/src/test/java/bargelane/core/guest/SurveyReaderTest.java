package bargelane.core.guest;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.guest.Survey.Link;
import bargelane.core.guest.Survey.Listener;
import bargelane.core.guest.Survey.Mount;
import bargelane.core.guest.Survey.Route;
import bargelane.core.guest.Survey.Software;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import java.time.Instant;
import java.util.List;
import java.util.OptionalLong;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;

class SurveyReaderTest {

  @Test
  void anotherSystemIsRefusedByItsName() {
    SurveyException refused =
        assertThrows(
            SurveyException.class,
            () -> SurveyReader.read(TOLD.replace("\n Linux\n", "\n FreeBSD\n")));
    assertTrue(refused.getMessage().contains("FreeBSD"), refused.getMessage());
  }

  private static final Instant NOON = Instant.parse("2026-03-02T12:00:00Z");

  /** A server with LVM on its second disk, as its script tells it. */
  private static final String TOLD =
      """
      format: bargelane/survey/1
      = time
       1772452800
      = identity
       0123456789abcdef0123456789abcdef
      = hardware-id
      ! cat: /sys/class/dmi/id/product_uuid: Permission denied
      = account
       scout
      = host
       photo-store
       Linux
       6.1.0-18-amd64
       x86_64
      = cards
       lo 00:00:00:00:00:00 unknown virtual
       eth0 52:54:00:aa:bb:01 up physical
       br-7 02:42:00:00:00:01 down virtual
      = memory
       MemTotal:        8000 kB
       MemAvailable:    6000 kB
      = uptime
       3600.25 100.00
      = counters
       cpu  1000 100 400 9000 500 0 50 10 0 0
       disk    8       0 sda 10 0 100 5 20 0 200 5 0 0 0
       disk    8       1 sda1 10 0 100 5 20 0 200 5 0 0 0
       disk    8      16 sdb 1 0 8 5 2 0 16 5 0 0 0
       disk  254       0 dm-0 1 0 8 5 2 0 16 5 0 0 0
       net   lo: 5 1 0 0 0 0 0 0 5 1 0 0 0 0 0 0
       net  eth0: 1500 1 0 0 0 0 0 0 700 1 0 0 0 0 0 0
       net  br-7:99 1 0 0 0 0 0 0 99 1 0 0 0 0 0 0
      = blocks
       dm-0 4096 sdb 0 photos-scans
       loop0 100 - 0
       sda 8192 - 0 Made-up disk
       sda1 8000 sda 0
       sdb 4096 - 0
       sdc 100 - 1 Stick
       sdd 0 - 0
      = os
       PRETTY_NAME="Debian GNU/Linux 12 (bookworm)"
       ID=debian
       VERSION_ID='12'
      = firmware
       uefi
      = hardware
       sys_vendor Ferry Works
       product_name F-2
      = processors
       processor\t: 0
       model name\t: Made-up CPU @ 2 GHz
       processor\t: 1
       model name\t: Made-up CPU @ 2 GHz
      = mounts
       22 1 8:1 / / rw - ext4 /dev/sda1 rw
       23 22 254:0 / /srv/old\\040scans rw shared:1 - xfs /dev/mapper/photos-scans rw
       24 22 254:0 / /mnt rw - xfs /dev/mapper/photos-scans rw
       25 22 0:5 / /proc rw - proc proc rw
      = room
       Filesystem     1024-blocks Used Available Capacity Mounted on
       /dev/sda1             4000 1000      3000      25% /
       /dev/mapper/x         2000 1500       500      75% /srv/old scans
      = addresses
       2: eth0    inet 10.20.9.7/24 brd 10.20.9.255 scope global eth0
       2: eth0    inet6 fe80::1/64 scope link
      = routes
       default via 10.20.9.1 dev eth0
       10.20.9.0/24 dev eth0 proto kernel scope link src 10.20.9.7
      = packages
       bash 5.2 amd64
       nginx 1.22 amd64
       nginx 1.22 amd64
      = patched
       1770000000
      = services
       nginx.service
      = sockets
       tcp    0: 00000000:0050 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 11 1 0 100 0 0 10 0
       tcp    1: 0100007F:0019 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 12 1 0 100 0 0 10 0
       tcp    2: 0709140A:0050 2A09140A:C001 01 00000000:00000000 00:00000000 00000000     0        0 13 1 0 100 0 0 10 0
       tcp    3: 0709140A:D431 1F01140A:1538 01 00000000:00000000 00:00000000 00000000     0        0 14 1 0 100 0 0 10 0
       tcp    4: 0100007F:D431 0100007F:1538 01 00000000:00000000 00:00000000 00000000     0        0 15 1 0 100 0 0 10 0
       tcp6   0: 0000000000000000FFFF00000709140A:0050 0000000000000000FFFF00002B09140A:C002 01 00000000:00000000 00:00000000 00000000     0        0 16 1 0 100 0 0 10 0
       udp    0: 00000000:0044 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 17 1 0 100 0 0 10 0
      = owners
       501 11
       501 13
      ! processes of others are told to root only
      = commands
       501 nginx
      = end
      """;

  private static Survey read() throws SurveyException {
    return SurveyReader.read(TOLD);
  }

  @Test
  void everySectionIsReadInItsTerms() throws SurveyException {
    Survey s = read();
    assertEquals(NOON, s.at());
    assertEquals("photo-store", s.hostname());
    assertEquals("0123456789abcdef0123456789abcdef", s.guestId());
    assertEquals("Debian GNU/Linux 12 (bookworm)", s.os());
    assertEquals("debian 12", s.osName() + " " + s.osVersion());
    assertEquals("uefi", s.firmware());
    assertEquals("Ferry Works F-2", s.vendor() + " " + s.product());
    assertEquals(2, s.cpus());
    assertEquals(8000L << 10, s.memoryBytes());
    assertEquals(Instant.ofEpochSecond(1_770_000_000), s.patchedAt().orElseThrow());
    assertEquals(
        List.of(
            new Mount("sda1", "/", "ext4", 4000L << 10, 1000L << 10),
            new Mount("photos-scans", "/srv/old scans", "xfs", 2000L << 10, 1500L << 10)),
        s.mounts());
    assertEquals(
        List.of(new Route("default", "10.20.9.1", "eth0"), new Route("10.20.9.0/24", "", "eth0")),
        s.routes());
    assertEquals(
        List.of(new Software("bash", "5.2", "amd64"), new Software("nginx", "1.22", "amd64")),
        s.packages());
    assertEquals(List.of("nginx.service"), s.services());
  }

  @Test
  void socketsAreServedOrBegunAndToldWithWhoseTheyAre() throws SurveyException {
    Survey s = read();
    assertEquals(
        List.of(
            new Listener("tcp", "0.0.0.0", 80, "nginx"),
            new Listener("tcp", "127.0.0.1", 25, ""),
            new Listener("udp", "0.0.0.0", 68, "")),
        s.listeners());
    assertEquals(
        List.of(
            new Link("tcp", "10.20.9.7", 80, "10.20.9.42", 0xC001, true, "nginx"),
            new Link("tcp", "10.20.9.7", 0xD431, "10.20.1.31", 0x1538, false, ""),
            new Link("tcp", "10.20.9.7", 80, "10.20.9.43", 0xC002, true, "")),
        s.links());
    assertEquals(
        new Conversation("10.20.9.7", "10.20.1.31", "tcp", 0x1538, "", 1, 0, NOON, NOON),
        SurveyFacts.conversations(s, NOON).get(1));
  }

  @Test
  void addressesOfVersionSixAreWrittenAsTheirStandardSays() {
    // RFC 5952, 4.2: the longest run of zeroes is shortened, a single one is not.
    assertEquals("2001:db8::1", Sockets.address("B80D0120000000000000000001000000", false));
    assertEquals("2001:db8::1", Sockets.address("20010DB8000000000000000000000001", true));
    assertEquals("::", Sockets.address("00000000000000000000000000000000", false));
    assertEquals("::1", Sockets.address("00000000000000000000000001000000", false));
    assertEquals("2001:0:1:1:1:1:1:1", Sockets.address("20010000000100010001000100010001", true));
    assertEquals("2001:db8:1::", Sockets.address("20010DB8000100000000000000000000", true));
  }

  @Test
  void countersAreOfWholeDisksAndHardwareCardsOnly() throws SurveyException {
    var used = read().counters();
    assertEquals(15.5, used.cpuSeconds().orElseThrow());
    assertEquals(OptionalLong.of(2000L << 10), used.memoryBytes());
    assertEquals(OptionalLong.of(108 * 512), used.readBytes());
    assertEquals(OptionalLong.of(22), used.writes());
    assertEquals(OptionalLong.of(1500), used.receivedBytes());
    assertEquals(OptionalLong.of(700), used.sentBytes());
  }

  @Test
  void whatCouldNotBeReadIsSaid() throws SurveyException {
    assertEquals(
        List.of("hardware-id", "owners"),
        read().unread().stream().map(Survey.Unread::fact).toList());
    assertTrue(read().unread().get(0).why().contains("Permission denied"));
  }

  @Test
  void aSurveyIsAMachineOfItsOwnDisksAndCards() throws SurveyException {
    Survey s = read();
    GuestFacts guest = SurveyFacts.guest(s, NOON, "annex");
    MachineFacts m = SurveyFacts.machine(s, "srv-1", "10.20.9.7", guest);
    assertEquals("photo-store", m.name());
    assertEquals(7, m.memoryMib());
    assertEquals(
        List.of(8192L * 512, 4096L * 512), m.disks().stream().map(d -> d.bytes()).toList());
    assertEquals(List.of(new Nic("", "10.20.9.7", "52:54:00:aa:bb:01")), m.nics());
    assertEquals(List.of(80), m.ingress().stream().map(i -> i.port()).toList());
    assertEquals(Set.of("/"), SurveyFacts.mountedFrom(s, SurveyFacts.disks(s).get(0)));
    assertEquals(Set.of("/srv/old scans"), SurveyFacts.mountedFrom(s, SurveyFacts.disks(s).get(1)));
  }

  private static String refusal(String told) {
    return assertThrows(SurveyException.class, () -> SurveyReader.read(told)).getMessage();
  }

  @Test
  void whatIsNoSurveyIsRefusedWithTheLine() {
    assertTrue(refusal("").contains("in the middle"));
    assertTrue(refusal("Welcome to photo-store!\n" + TOLD).contains("line 1 is not"));
    assertTrue(refusal(TOLD.substring(0, 400)).contains("in the middle"));
    assertTrue(refusal(TOLD + "= more\n").contains("after the end"));
    assertTrue(refusal(TOLD.replace("= os\n", "= time\n")).contains("begins a section again"));
    assertTrue(refusal(TOLD.replace(" 1772452800", " now")).contains("what time"));
    assertTrue(refusal(TOLD.replace(" nginx.service", "nginx.service")).contains("neither"));
    assertTrue(
        refusal(TOLD.replace(" nginx.service", " " + "x".repeat(70_000))).contains("64 KiB"));
    assertTrue(refusal(" ".repeat(17 << 20)).contains("16 MiB"));
  }

  /** Whatever a machine tells: it is refused, or it is read, and nothing else happens. */
  @Test
  void mutatedSurveysAreReadOrRefused() {
    Random random = new Random(20261124);
    String alphabet = " =!\n\t:/-0123456789abcdefFFFF.,\\\"'\u0000\u001b\uD800é";
    int read = 0;
    for (int i = 0; i < 6000; i++) {
      StringBuilder t = new StringBuilder(TOLD);
      for (int edits = 1 + random.nextInt(8); edits > 0; edits--) {
        int at = 27 + random.nextInt(t.length() - 40);
        switch (random.nextInt(4)) {
          case 0 -> t.setCharAt(at, alphabet.charAt(random.nextInt(alphabet.length())));
          case 1 -> t.delete(at, Math.min(t.length(), at + random.nextInt(40)));
          case 2 -> t.insert(at, "9".repeat(random.nextInt(30)));
          default -> t.insert(at, t.substring(at, Math.min(t.length(), at + random.nextInt(60))));
        }
      }
      try {
        Survey s = SurveyReader.read(t.toString());
        SurveyFacts.machine(s, "k", "n", SurveyFacts.guest(s, NOON, "x"));
        SurveyFacts.conversations(s, NOON);
        SurveyFacts.disks(s).forEach(d -> SurveyFacts.mountedFrom(s, d));
        assertTrue(s.memoryBytes() >= 0 && s.cpus() >= 0);
        read++;
      } catch (SurveyException e) {
        assertTrue(e.getMessage().length() > 10);
      }
    }
    assertTrue(read > 500, read + " of 6000 were read");
  }
}
