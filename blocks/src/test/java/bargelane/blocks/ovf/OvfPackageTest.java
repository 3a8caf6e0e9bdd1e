package bargelane.blocks.ovf;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.ovf.OvfDescriptor.PackagedCard;
import bargelane.blocks.ovf.OvfDescriptor.VirtualSystem;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.time.Duration;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.apache.commons.compress.archivers.tar.TarArchiveEntry;
import org.apache.commons.compress.archivers.tar.TarArchiveOutputStream;
import org.apache.commons.compress.archivers.tar.TarConstants;
import org.junit.jupiter.api.Assertions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Packages as DSP0243 has them, and those that nobody should trust. */
class OvfPackageTest {

  private static final String NAMESPACES =
      "xmlns='http://schemas.dmtf.org/ovf/envelope/1' xmlns:ovf='http://schemas.dmtf.org/ovf/envelope/1'"
          + " xmlns:rasd='http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData'";

  private static String item(int id, int type, String more) {
    return "<Item><rasd:InstanceID>%d</rasd:InstanceID><rasd:ResourceType>%d</rasd:ResourceType>%s</Item>"
        .formatted(id, type, more);
  }

  private static String tag(String name, String value) {
    return "<rasd:%1$s>%2$s</rasd:%1$s>".formatted(name, value);
  }

  private static final String GOOD =
      "<?xml version='1.0'?><Envelope "
          + NAMESPACES
          + "><References><File ovf:id='f1' ovf:href='reading-room-disk1.img' ovf:size='4096'/></References>"
          + "<DiskSection><Info/><Disk ovf:diskId='d1' ovf:fileRef='f1' ovf:capacity='20'"
          + " ovf:capacityAllocationUnits='byte * 2^30' ovf:format='raw'/>"
          + "<Disk ovf:diskId='d2' ovf:capacity='1073741824'/></DiskSection>"
          + "<NetworkSection><Info/><Network ovf:name='staff'/></NetworkSection>"
          + "<VirtualSystem ovf:id='reading-room'><Name>Reading room</Name>"
          + "<OperatingSystemSection ovf:id='96'><Info/></OperatingSystemSection>"
          + "<VirtualHardwareSection><Info/>"
          + item(1, 3, tag("VirtualQuantity", "2"))
          + item(2, 4, tag("AllocationUnits", "byte * 2^20") + tag("VirtualQuantity", "3072"))
          + item(3, 6, tag("ResourceSubType", "bus"))
          + item(4, 17, tag("HostResource", "ovf:/disk/d1") + tag("Parent", "3"))
          + item(5, 17, tag("HostResource", "/disk/d2"))
          + item(
              6,
              10,
              tag("Connection", "staff")
                  + tag("Address", "52:54:00:14:01:90")
                  + tag("ResourceSubType", "e1000"))
          + item(7, 15, "")
          + "</VirtualHardwareSection></VirtualSystem></Envelope>";

  private static OvfDescriptor parse(String xml) throws OvfException {
    return OvfDescriptor.parse(xml.getBytes(StandardCharsets.UTF_8));
  }

  private static String refusal(String xml) {
    return assertThrows(OvfException.class, () -> parse(xml)).getMessage();
  }

  @Test
  void aDescriptorTellsItsMachines() throws IOException {
    VirtualSystem system = parse(GOOD).systems().get(0);
    assertEquals("Reading room", system.name());
    assertEquals("Debian, 64 bits", system.os());
    assertEquals(2, system.cpus());
    assertEquals(3072, system.memoryMib());
    assertEquals(20L << 30, system.disks().get(0).bytes());
    assertEquals("scsi", system.disks().get(0).bus());
    assertEquals("reading-room-disk1.img", system.disks().get(0).file().orElseThrow().href());
    assertTrue(system.disks().get(1).file().isEmpty());
    assertEquals(List.of(new PackagedCard("staff", "52:54:00:14:01:90", "e1000")), system.cards());
  }

  @Test
  void aCollectionTellsAllItsMachinesAndADescriptionGoesBeforeTheNumber() throws IOException {
    String two =
        GOOD.replace("<VirtualSystem ", "<VirtualSystemCollection ovf:id='c'><VirtualSystem ")
            .replace("</VirtualSystem>", "</VirtualSystem>SECOND</VirtualSystemCollection>");
    int from = GOOD.indexOf("<VirtualSystem ");
    String second =
        GOOD.substring(from, GOOD.indexOf("</Envelope>"))
            .replace("ovf:id='reading-room'", "ovf:id='annex'")
            .replace(
                "<OperatingSystemSection ovf:id='96'><Info/>",
                "<OperatingSystemSection ovf:id='1'><Description>Plan of ours</Description>");
    List<VirtualSystem> systems = parse(two.replace("SECOND", second)).systems();
    assertEquals(
        List.of("reading-room", "annex"), systems.stream().map(VirtualSystem::id).toList());
    assertEquals("Plan of ours", systems.get(1).os());
  }

  @ParameterizedTest
  @CsvSource({
    "'byte', 1",
    "'byte * 2^40', 1099511627776",
    "'bytes*10^3', 1000",
    "MegaBytes, 1048576",
    "'', 1"
  })
  void unitsAreThoseOfTheSpecification(String unit, long bytes) throws IOException {
    assertEquals(bytes, AllocationUnits.bytes(unit).longValueExact());
  }

  @Test
  void whatLeadsElsewhereIsRefused() {
    String external =
        GOOD.replace(
            "<Envelope", "<!DOCTYPE Envelope [<!ENTITY x SYSTEM 'file:///etc/passwd'>]><Envelope");
    assertTrue(refusal(external).contains("DOCTYPE"), refusal(external));
    for (String href :
        List.of(
            "../x.img", "/etc/passwd", "a/b", "..", "file:x", "a\\b", "http://192.0.2.1/x", "")) {
      assertTrue(
          refusal(GOOD.replace("reading-room-disk1.img", href)).contains("not a name of a file"),
          href);
    }
  }

  @Test
  void whatCantBeIsRefusedWithTheThingAndTheCause() {
    Map<String, String> wrong = new LinkedHashMap<>();
    wrong.put(GOOD.replace("ovf:capacity='20'", "ovf:capacity='9999999999999'"), "more than 1 EiB");
    wrong.put(GOOD.replace("ovf:capacity='20'", "ovf:capacity='-1'"), "is not a size");
    wrong.put(GOOD.replace("ovf:capacity='20'", "ovf:capacity='${d}'"), "left to be chosen");
    wrong.put(GOOD.replace("byte * 2^30", "furlong"), "not a unit of bytes");
    wrong.put(GOOD.replace("ovf:/disk/d1", "ovf:/disk/d9"), "not listed");
    wrong.put(GOOD.replace("ovf:fileRef='f1'", "ovf:fileRef='f9'"), "not listed");
    wrong.put(GOOD.replace("'d2'", "'d1'"), "two disks");
    wrong.put(GOOD.replace(">2<", ">0<"), "0 processors");
    wrong.put(GOOD.replace(">2<", ">99999<"), "99999 processors");
    wrong.put(GOOD.replace(">3072<", ">many<"), "not a size");
    wrong.put(GOOD.replace("ovf:id='reading-room'", ""), "no id");
    wrong.put("<Envelope/>", "no virtual system");
    wrong.put("<a/>", "not with 'Envelope'");
    wrong.put("PK", "refused");
    wrong.put("", "refused");
    wrong.forEach((xml, cause) -> assertTrue(refusal(xml).contains(cause), refusal(xml)));
    String deep = "<a>".repeat(100_000) + "</a>".repeat(100_000);
    assertTrue(
        refusal(GOOD.replace("<NetworkSection>", "<NetworkSection>" + deep)).contains("refused"));
    assertTrue(refusal(" ".repeat(OvfDescriptor.LARGEST + 1)).contains("more than"));
  }

  @Test
  void nonsenseIsReadOrRefusedAndNeverWorse() {
    Random random = new Random(243);
    byte[] good = GOOD.getBytes(StandardCharsets.UTF_8);
    int read = 0;
    for (int i = 0; i < 4000; i++) {
      byte[] bad = good.clone();
      for (int k = random.nextInt(4); k >= 0; k--) {
        bad[random.nextInt(bad.length)] =
            (byte) (random.nextBoolean() ? random.nextInt(256) : '0' + random.nextInt(10));
      }
      if (random.nextInt(10) == 0) {
        bad = Arrays.copyOf(bad, random.nextInt(bad.length));
      }
      byte[] told = bad;
      try {
        Assertions.assertTimeoutPreemptively(
            Duration.ofSeconds(20), () -> OvfDescriptor.parse(told));
        read++;
      } catch (Throwable e) {
        if (!(e instanceof OvfException)) {
          throw new AssertionError(new String(told, StandardCharsets.ISO_8859_1), e);
        }
      }
    }
    assertTrue(read > 100 && read < 3900, read + " were read");
  }

  private static String digest(byte[] bytes) throws Exception {
    return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(bytes));
  }

  private static byte[] disk() {
    byte[] disk = new byte[4096];
    new Random(1).nextBytes(disk);
    return disk;
  }

  private static String manifest() throws Exception {
    return "SHA256(reading-room.ovf)= "
        + digest(GOOD.getBytes(StandardCharsets.UTF_8))
        + "\nSHA256(reading-room-disk1.img)= "
        + digest(disk())
        + "\n";
  }

  @Test
  void aFolderPackageIsComparedWithItsManifest(@TempDir Path dir) throws Exception {
    Path ovf = Files.writeString(dir.resolve("reading-room.ovf"), GOOD);
    Path disk = Files.write(dir.resolve("reading-room-disk1.img"), disk());
    Files.writeString(dir.resolve("reading-room.mf"), manifest());
    assertEquals(List.of(ovf), OvfPackage.in(dir));
    assertEquals(List.of(), OvfPackage.open(ovf).damage());
    byte[] other = disk();
    other[77] ^= 1;
    Files.write(disk, other);
    assertEquals(
        List.of("'reading-room-disk1.img' is not what its manifest's SHA-256 says"),
        OvfPackage.open(ovf).damage());
    Files.write(disk, new byte[9]);
    assertEquals(
        List.of("its file 'reading-room-disk1.img' has 9 bytes and not 4096"),
        OvfPackage.open(ovf).damage());
    Files.delete(disk);
    Files.createSymbolicLink(disk, Path.of("/etc/passwd"));
    assertEquals(
        List.of("its file 'reading-room-disk1.img' is missing"), OvfPackage.open(ovf).damage());
    Files.writeString(dir.resolve("reading-room.mf"), "SHA256(../../etc/passwd)= 00\n");
    assertThrows(OvfException.class, () -> OvfPackage.open(ovf).damage());
    Files.writeString(dir.resolve("reading-room.mf"), "whatever\n");
    assertThrows(OvfException.class, () -> OvfPackage.open(ovf).damage());
  }

  private static byte[] archive(Map<String, byte[]> files, String link) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (TarArchiveOutputStream tar = new TarArchiveOutputStream(bytes)) {
      for (Map.Entry<String, byte[]> f : files.entrySet()) {
        TarArchiveEntry entry = new TarArchiveEntry(f.getKey(), true);
        entry.setSize(f.getValue().length);
        tar.putArchiveEntry(entry);
        tar.write(f.getValue());
        tar.closeArchiveEntry();
      }
      if (!link.isEmpty()) {
        TarArchiveEntry entry = new TarArchiveEntry(link, TarConstants.LF_SYMLINK);
        entry.setLinkName("/etc/passwd");
        tar.putArchiveEntry(entry);
        tar.closeArchiveEntry();
      }
    }
    return bytes.toByteArray();
  }

  @Test
  void anArchiveIsReadWhereItLies(@TempDir Path dir) throws Exception {
    Map<String, byte[]> files = new LinkedHashMap<>();
    files.put("reading-room.ovf", GOOD.getBytes(StandardCharsets.UTF_8));
    files.put("reading-room.mf", manifest().getBytes(StandardCharsets.UTF_8));
    files.put("reading-room-disk1.img", disk());
    Path ova = dir.resolve("reading-room.ova");
    byte[] whole = archive(files, "");
    Files.write(ova, whole);
    assertEquals("reading-room", OvfPackage.open(ova).descriptor().systems().get(0).id());
    assertEquals(List.of(), OvfPackage.open(ova).damage());

    Files.write(ova, archive(files, "link.img"));
    assertThrows(OvfException.class, () -> OvfPackage.open(ova).damage());
    Files.write(ova, Arrays.copyOf(whole, whole.length / 2));
    assertThrows(IOException.class, () -> OvfPackage.open(ova).damage());
    files.put("../escape", new byte[1]);
    Files.write(ova, archive(files, ""));
    assertThrows(OvfException.class, () -> OvfPackage.open(ova).damage());
    files.remove("../escape");
    files.remove("reading-room-disk1.img");
    Files.write(ova, archive(files, ""));
    assertEquals(
        List.of("its file 'reading-room-disk1.img' is missing"), OvfPackage.open(ova).damage());
    Files.write(ova, archive(Map.of("notes.txt", new byte[3]), ""));
    assertTrue(
        assertThrows(OvfException.class, () -> OvfPackage.open(ova))
            .getMessage()
            .contains("does not begin with a descriptor"));
  }

  @ParameterizedTest
  @ValueSource(ints = {1, 2, 3})
  void damagedArchivesAreRefusedAndNeverWorse(int seed, @TempDir Path dir) throws Exception {
    Map<String, byte[]> files = new LinkedHashMap<>();
    files.put("reading-room.ovf", GOOD.getBytes(StandardCharsets.UTF_8));
    files.put("reading-room-disk1.img", disk());
    byte[] whole = archive(files, "");
    Random random = new Random(seed);
    Path ova = dir.resolve("x.ova");
    for (int i = 0; i < 300; i++) {
      byte[] bad = whole.clone();
      for (int k = 0; k < 8; k++) {
        bad[random.nextInt(600)] = (byte) random.nextInt(256);
      }
      Files.write(ova, bad);
      try {
        OvfPackage.open(ova).damage();
      } catch (IOException e) {
        assertTrue(e.getMessage() != null);
      }
    }
  }
}
