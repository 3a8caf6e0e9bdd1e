package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.LeaseIntent;
import bargelane.api.LeaseReport;
import bargelane.blocks.DigestMap;
import bargelane.core.replication.PassState;
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
    assertEquals(List.of(0L, 0L, 0L), List.of(kept.done(), kept.sent(), kept.watermark()));
  }

  @Test
  void nothingIsDoneBeforeItIsSaidWhatMayBeWritten() throws InterruptedException {
    offer();
    assertTrue(leases.take("hasty", 0).isPresent());
    assertEquals("report-impossible", refused(() -> leases.report(pass, progress(1, 65536))));
  }

  @Test
  void aDiskIsDoneOnlyWithTheDigestMapThatShowsIt() throws InterruptedException {
    offer();
    take("liar");
    assertEquals("report-impossible", refused(() -> leases.done(pass, done(1))), "none at all");
    DigestMap small = new DigestMap(SIZE / 2);
    assertEquals("report-impossible", refused(() -> leases.putDigests(pass, 1, 0, small.bytes())));
    assertEquals(
        "report-impossible", refused(() -> leases.putDigests(pass, 1, 0, new byte[] {1, 2, 3})));
    DigestMap other = new DigestMap(SIZE);
    other.set(3, new byte[32]);
    leases.putDigests(pass, 1, 0, other.bytes());
    assertEquals("report-impossible", refused(() -> leases.done(pass, done(1))), "another's root");
    assertEquals(PassState.LEASED, state());
    leases.putDigests(pass, 1, 0, new DigestMap(SIZE).bytes());
    leases.done(pass, done(1));
    assertEquals("lease-lost", refused(() -> leases.done(pass, done(1))));
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
