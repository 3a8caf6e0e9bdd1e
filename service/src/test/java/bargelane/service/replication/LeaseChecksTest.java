package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.LeaseIntent;
import bargelane.api.LeaseReport;
import bargelane.core.replication.PassState;
import bargelane.sites.SiteException;
import java.nio.ByteBuffer;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What tugs say is held against what was leased to them. */
class LeaseChecksTest extends PassesFixture {

  /** A report that can't be is refused as a whole, and nothing of it is taken over. */
  @ParameterizedTest
  @CsvSource({
    // disk, total, done, sent, zeroed, watermark
    "0, 1048576, 1048576, 0, 0, 4611686018427387904",
    "0, 1048576, 0, 0, 0, -1",
    "0, 4611686018427387904, 0, 0, 0, 0",
    "0, -1, -1, 0, 0, 0",
    "0, 65536, 131072, 0, 0, 0",
    "0, 65536, 65536, 131072, 0, 0",
    "0, 65536, 65536, 65536, 65536, 0",
    "0, 65536, 65536, 9223372036854775807, 1, 0",
    "1, 65536, 65536, 0, 0, 0",
    "-1, 65536, 65536, 0, 0, 0"
  })
  void aReportThatCannotBeIsRefused(
      int disk, long total, long done, long sent, long zeroed, long watermark)
      throws InterruptedException {
    offer();
    take("liar");
    assertEquals(
        "report-impossible",
        refused(
            () ->
                leases.report(
                    pass, new LeaseReport(1, disk, total, done, done, sent, zeroed, watermark))));
    PassDisk kept = Passes.disks(db.tx(s -> s.find(PassEntity.class, pass))).get(0);
    assertEquals(
        List.of(0L, 0L, 0L),
        List.of(kept.progress().done(), kept.moved(), kept.progress().watermark()));
  }

  @Test
  void nothingIsDoneBeforeItIsSaidWhatMayBeWritten() throws InterruptedException {
    offer();
    assertTrue(leases.take("hasty", 0).isPresent());
    assertEquals("report-impossible", refused(() -> leases.report(pass, progress(1, 65536))));
  }

  @Test
  void aDiskIsDoneOnlyWithTheDigestsThatTheTargetHolds() throws Exception {
    offer();
    take("liar");
    String claimed = "0".repeat(64);
    SiteException none =
        assertThrows(SiteException.class, () -> leases.done(pass, done(1, claimed)));
    assertTrue(none.getMessage().contains("no finished digests"), none.getMessage());
    String root = finish(3);
    assertEquals("report-impossible", refused(() -> leases.done(pass, done(1, claimed))));
    // One that was killed while it finished them.
    digests.write(4096, ByteBuffer.wrap(new byte[] {42}));
    SiteException torn = assertThrows(SiteException.class, () -> leases.done(pass, done(1, root)));
    assertTrue(torn.getMessage().contains("not whole"), torn.getMessage());
    assertEquals(PassState.LEASED, state());
    digests.writeZeroes(0, digests.size());
    leases.done(pass, done(1, finish(3)));
    assertEquals("lease-lost", refused(() -> leases.done(pass, done(1, root))));
  }

  @Test
  void theDigestsOfADiskAreReadThroughAnotherNodeAsWell() throws Exception {
    offer();
    take("tug-1");
    String root = finish(7);
    // The service that opened them is gone; another one is told.
    new Leases(new Passes(db, sites, ledger, events, runs, LEASE, clock)).done(pass, done(1, root));
    assertEquals(PassState.SHIPPED, state());
  }

  @Test
  void rangesBehindTheEndOfADiskAreRefused() throws InterruptedException {
    offer();
    assertTrue(leases.take("liar", 0).isPresent());
    for (String ranges : List.of("0+1048577", "4611686018427387904+1", "nonsense", "-1+5")) {
      assertEquals(
          "report-impossible",
          refused(() -> leases.intent(pass, new LeaseIntent(1, 0, ranges, false))));
    }
  }
}
