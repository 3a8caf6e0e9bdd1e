package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.sites.SiteException;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What is read of a domain's description, and what is changed in it. */
class DomainXmlTest {

  private static final String DOMAIN =
      """
      <domain type='kvm' xmlns:qemu='http://libvirt.org/schemas/domain/qemu/1.0'>
        <name>ledger &amp; co</name>
        <uuid>0b3c5a70-0000-4000-8000-000000000001</uuid>
        <metadata>
          <lib:libosinfo xmlns:lib='http://example.test/libosinfo'>
            <lib:os id='http://debian.test/debian/12'/>
          </lib:libosinfo>
          <bargelane:machine xmlns:bargelane='urn:bargelane:machine:1' owner='bargelane/in-1/tow-1' fenced='yes' way='10.0.0.9:8080'/>
        </metadata>
        <memory unit='KiB'>2097152</memory>
        <vcpu placement='static'>3</vcpu>
        <os firmware='efi'><type arch='x86_64' machine='q35'>hvm</type></os>
        <devices>
          <disk type='file' device='cdrom'><source file='/iso/cd.iso'/><target dev='sda' bus='sata'/></disk>
          <disk type='file' device='disk'><driver name='qemu' type='qcow2'/><source file='/pool/a.qcow2'/><target dev='vda' bus='virtio'/></disk>
          <disk type='block'><driver name='qemu' type='raw'/><source dev='/dev/vg/b'/><target dev='vdb' bus='virtio'/></disk>
          <interface type='network'><mac address='52:54:00:00:00:01'/><source network='shore'/><model type='virtio'/></interface>
        </devices>
        <qemu:commandline>
          <qemu:arg value='-netdev'/>
          <qemu:arg value='user,id=net0,restrict=on,hostfwd=tcp:127.0.0.1:4022-10.20.1.21:8080'/>
          <qemu:arg value='-device'/>
          <qemu:arg value='e1000,netdev=net0,mac=52:54:00:20:01:21,bus=pci.0'/>
        </qemu:commandline>
      </domain>
      """;

  private static DomainXml domain() {
    return new DomainXml(DOMAIN);
  }

  @Test
  void whatAMachineIsBuiltWithIsRead() {
    DomainXml d = domain();
    assertEquals("ledger & co", d.name());
    assertEquals("0b3c5a70-0000-4000-8000-000000000001", d.uuid());
    assertEquals(3, d.cpus());
    assertEquals(2048, d.memoryMib());
    assertEquals("uefi", d.firmware());
    assertEquals("http://debian.test/debian/12", d.os());
  }

  @Test
  void disksAreThoseThatAreNoDrives() {
    assertEquals(
        List.of(
            new DomainXml.Disk("vda", "virtio", "/pool/a.qcow2", "qcow2"),
            new DomainXml.Disk("vdb", "virtio", "/dev/vg/b", "raw")),
        domain().disks());
  }

  @Test
  void cardsOfTheEmulatorsOwnCommandLineAreCardsToo() {
    List<DomainXml.Card> cards = domain().cards();
    assertEquals(
        new DomainXml.Card("virtio", "52:54:00:00:00:01", "shore", Map.of()), cards.get(0));
    assertEquals("e1000", cards.get(1).model());
    assertEquals("52:54:00:20:01:21", cards.get(1).mac());
    assertEquals(
        new DomainXml.Forward("127.0.0.1", 4022, "10.20.1.21", 8080),
        domain().forward().orElseThrow());
  }

  @Test
  void ourMarkIsReadAndWrittenSoThatItIsReadBack() {
    DomainXml.Mark mark = domain().mark();
    assertEquals(new DomainXml.Mark("bargelane/in-1/tow-1", true, "10.0.0.9:8080"), mark);
    assertTrue(domain().fenced());
    DomainXml.Mark odd = new DomainXml.Mark("o'<&\"", false, "");
    DomainXml made = new DomainXml("<domain><metadata>" + odd.element() + "</metadata></domain>");
    assertEquals("o'<&\"", made.owner());
    assertFalse(made.fenced());
    assertEquals("", new DomainXml("<domain><name>x</name></domain>").owner());
  }

  @Test
  void everyDiskGetsAnotherImageInOrderAndNothingElseChanges() {
    DomainXml d = domain();
    d.setDisks(List.of("/pool/c.qcow2", "/pool/d.raw"), List.of("qcow2", "raw"));
    DomainXml again = new DomainXml(d.toString());
    assertEquals("/pool/c.qcow2", again.disks().get(0).file());
    assertEquals("raw", again.disks().get(1).format());
    assertTrue(again.toString().contains("/iso/cd.iso"));
    assertEquals("ledger & co", again.name());
    SiteException e =
        assertThrows(
            SiteException.class, () -> d.setDisks(List.of("/pool/c.qcow2"), List.of("qcow2")));
    assertEquals("disks-differ", e.code());
  }

  @Test
  void aDiskThatStaysIsLeftAsItIsDeclaredWhateverItIs() {
    String lun =
        "<disk device='disk' type='block'><driver name='qemu'/><source dev='/dev/san/scratch'/>"
            + "<target bus='virtio' dev='vdb'/></disk>";
    DomainXml d =
        new DomainXml(
            "<domain><name>x</name><devices><disk device='disk' type='file'>"
                + "<driver type='raw'/><source file='/pool/a.raw'/><target dev='vda'/></disk>"
                + lun
                + "</devices></domain>");
    d.setDisks(List.of("/pool/c.qcow2", "/dev/san/scratch"), List.of("qcow2", "raw"));
    assertEquals("/pool/c.qcow2", d.disks().get(0).file());
    assertTrue(d.toString().contains("<source dev=\"/dev/san/scratch\"/>"), d.toString());
    assertTrue(d.toString().contains("type=\"block\""), d.toString());
    d.setDisks(List.of("/pool/c.qcow2", "/pool/e.qcow2"), List.of("qcow2", "qcow2"));
    assertEquals("/pool/e.qcow2", d.disks().get(1).file());
    assertFalse(d.toString().contains("/dev/san/scratch"), d.toString());
    assertFalse(d.toString().contains("type=\"block\""), d.toString());
  }

  @Test
  void aForwardedPortComesOutElsewhere() {
    DomainXml d = domain();
    d.setForwardedPort(5099);
    assertEquals(5099, d.forward().orElseThrow().port());
    assertEquals(8080, d.forward().orElseThrow().guestPort());
  }

  @ParameterizedTest
  @CsvSource({"b, 1073741824, 1024", "KiB, 1048576, 1024", "MiB, 1024, 1024", "G, 1, 1024"})
  void memoryIsReadInItsUnit(String unit, String told, long mib) {
    assertEquals(
        mib,
        new DomainXml("<domain><memory unit='" + unit + "'>" + told + "</memory></domain>")
            .memoryMib());
  }

  @ParameterizedTest
  @CsvSource({
    "<os><type>hvm</type></os>, bios",
    "<os firmware='efi'/>, uefi",
    "<os><loader type='pflash'>/x</loader></os>, uefi",
    "<os><loader type='rom'>/x</loader></os>, bios",
  })
  void firmwareIsReadHoweverItIsSaid(String os, String firmware) {
    assertEquals(firmware, new DomainXml("<domain>" + os + "</domain>").firmware());
  }

  @Test
  void anAgentIsThereOnceItsChannelIsOpen() {
    String channel =
        "<domain><channel><target name='org.qemu.guest_agent.0' state='%s'/></channel></domain>";
    assertTrue(DomainXml.agent(channel.formatted("connected")));
    assertFalse(DomainXml.agent(channel.formatted("disconnected")));
    assertFalse(DomainXml.agent("<domain/>"));
  }

  @Test
  void aDescriptionWithADocumentTypeIsRefused() {
    SiteException e =
        assertThrows(
            SiteException.class,
            () ->
                new DomainXml(
                    "<!DOCTYPE d [<!ENTITY x SYSTEM 'file:///etc/passwd'>]><domain>&x;</domain>"));
    assertEquals("malformed", e.code());
    assertThrows(SiteException.class, () -> new DomainXml("<domain>"));
  }
}
