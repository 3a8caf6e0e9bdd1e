package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A folder of packages as a site. */
class OvfSiteTest {

  static final String DESCRIPTOR =
      """
      <Envelope xmlns='http://schemas.dmtf.org/ovf/envelope/2'
          xmlns:rasd='http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData'>
        <References/>
        <DiskSection><Disk diskId='d' capacity='12' capacityAllocationUnits='byte * 2^30'/></DiskSection>
        <VirtualSystem id='annex'>
          <VirtualHardwareSection>
            <Item><rasd:ResourceType>3</rasd:ResourceType><rasd:VirtualQuantity>1</rasd:VirtualQuantity></Item>
            <Item><rasd:ResourceType>4</rasd:ResourceType><rasd:VirtualQuantity>512</rasd:VirtualQuantity></Item>
            <Item><rasd:ResourceType>17</rasd:ResourceType><rasd:HostResource>ovf:/disk/d</rasd:HostResource></Item>
            <Item><rasd:ResourceType>10</rasd:ResourceType><rasd:Connection>staff</rasd:Connection></Item>
          </VirtualHardwareSection>
        </VirtualSystem>
      </Envelope>
      """;

  private static SiteDriver open(Path dir) {
    return Drivers.open(SiteKind.OVF, "packages", dir.toString(), "", Clock.systemUTC());
  }

  @Test
  void itsMachinesAreThoseOfItsPackages(@TempDir Path dir) throws IOException {
    Files.writeString(dir.resolve("annex.ovf"), DESCRIPTOR);
    SiteDriver site = open(dir);
    assertEquals(List.of(), site.check());
    Inventory inventory = site.inventory();
    MachineFacts annex = inventory.machines().get(0);
    assertEquals("annex.ovf#annex", annex.platformId());
    assertEquals(512, annex.memoryMib());
    assertEquals(12L << 30, annex.disks().get(0).bytes());
    assertTrue(inventory.network("staff").isPresent() && !annex.on());
    assertEquals(Optional.empty(), site.history());
    assertEquals("look-only", assertThrows(SiteException.class, site::source).code());
    assertThrows(SiteException.class, site::target);
    assertThrows(SiteException.class, site::compute);
  }

  @Test
  void aPackageThatCantBeReadIsNamedAndNoneIsLeftOut(@TempDir Path dir) throws IOException {
    Files.writeString(dir.resolve("annex.ovf"), DESCRIPTOR);
    Files.writeString(dir.resolve("bad.ovf"), "<Envelope/>");
    SiteDriver site = open(dir);
    SiteException refused = assertThrows(SiteException.class, site::inventory);
    assertEquals(SiteException.Kind.FINAL, refused.kind());
    assertTrue(refused.getMessage().contains("bad.ovf"), refused.getMessage());
    Finding finding = site.check().get(0);
    assertEquals(Finding.Code.SITE_PACKAGE_DAMAGED, finding.code());
    assertTrue(finding.thing().contains("bad.ovf") && finding.blocks());
  }

  @Test
  void aFolderThatIsAwayMayComeBack(@TempDir Path dir) {
    SiteDriver site = open(dir.resolve("away"));
    assertEquals(
        SiteException.Kind.MAY_PASS, assertThrows(SiteException.class, site::inventory).kind());
    assertEquals(Finding.Code.SITE_UNREACHABLE, site.check().get(0).code());
    assertThrows(
        IllegalArgumentException.class,
        () -> Drivers.open(SiteKind.OVF, "packages", "relative/path", "", Clock.systemUTC()));
  }
}
