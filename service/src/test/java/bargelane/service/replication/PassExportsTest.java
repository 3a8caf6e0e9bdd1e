package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.blocks.tls.ServerKeys;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Db;
import bargelane.service.run.RunFailure;
import bargelane.sites.DiskReaders;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;

/** What is opened for a pass: by whom, when, and that it is revoked whoever dies. */
class PassExportsTest extends PassesFixture {

  @Test
  void sealingRevokesWhatWasOpenedAndLeavesNothingRecorded() throws InterruptedException {
    offer();
    take("tug-1");
    passes.seal(pass);
    verify(target).closeExport("bl-" + pass + "-0-s-1");
    verify(target).closeExport("bl-" + pass + "-0-t-1");
    verify(target).closeExport("bl-" + pass + "-0-d-1");
    assertEquals(
        0L,
        db.tx(s -> Db.first(s, Long.class, "select count(*) from SiteObjectEntity")).orElseThrow());
  }

  @Test
  void nothingIsOpenedWhileWhatAnEarlierHolderWroteThroughIsNotRevoked() throws Exception {
    offer();
    take("tug-1");
    now = now.plus(LEASE).plusMillis(1);
    passes.shipped(pass);
    now = now.plus(Passes.LONGEST_PAUSE);
    SiteException away =
        new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "the site is away", null);
    doThrow(away).when(target).closeExport("bl-" + pass + "-0-t-1");
    assertEquals(Optional.empty(), leases.take("tug-2", 0));
    verify(target, never()).openVolume("bl-" + pass + "-0-t-2", "r0", true);
    passes.abandon(pass, "given-up", "");
    SiteException left = assertThrows(SiteException.class, this::revokeLeft);
    assertEquals("export-open", left.code());
    doNothing().when(target).closeExport("bl-" + pass + "-0-t-1");
    revokeLeft();
  }

  private void revokeLeft() {
    passes.exports.revoke(db.tx(s -> passes.exports.left(s, "tow")));
  }

  private ExportRef late(String export) throws InterruptedException {
    now = now.plus(LEASE.multipliedBy(LeaseClaims.OPENING)).plusMillis(1);
    passes.shipped(pass);
    now = now.plus(Passes.LONGEST_PAUSE);
    take("tug-2");
    return new ExportRef(export, "nbd+unix:///late", true);
  }

  /** The one who opens is slower than its lease is long, and another has taken over. */
  @Test
  void whoLostItsLeaseWhileItOpenedWhatIsReadRevokesItAndGetsNoWork() throws Exception {
    offer();
    String export = "bl-" + pass + "-0-s-1";
    when(source.openSnapshot(eq(export), any(), any(), any())).thenAnswer(x -> late(export));
    assertEquals(Optional.empty(), leases.take("tug-1", 0));
    // By the one who took over, before it was there, and by the one who opened it too late.
    verify(target, times(2)).closeExport(export);
    verify(target, never()).closeExport("bl-" + pass + "-0-s-2");
    leases.intent(pass, new LeaseIntent(2, 0, "0+1048576", false));
  }

  @Test
  void whoLostItsLeaseWhileItOpenedWhatIsWrittenRevokesItAndIsTold() throws Exception {
    offer();
    leases.take("tug-1", 0);
    String export = "bl-" + pass + "-0-t-1";
    when(target.openVolume(export, "r0", true)).thenAnswer(x -> late(export));
    assertEquals("lease-lost", refused(() -> open(1)));
    verify(target, times(2)).closeExport(export);
    verify(target, never()).closeExport("bl-" + pass + "-0-t-2");
    leases.intent(pass, new LeaseIntent(2, 0, "0+1048576", false));
  }

  @Test
  void whatIsWrittenIsOpenedForWhoeverHoldsTheLeaseAndOnlyForADiskThatIsLeft() throws Exception {
    offer();
    Lease lease = leases.take("tug-1", 0).orElseThrow();
    verify(target, never()).openVolume(any(), any(), anyBoolean());
    assertEquals("lease-lost", refused(() -> open(lease.epoch() - 1)));
    assertEquals(
        "report-impossible", refused(() -> leases.open(pass, new LeaseOpen(lease.epoch(), 7))));
    verify(target, never()).openVolume(any(), any(), anyBoolean());
    String uri = "nbd+unix:///bl-" + pass + "-0-t-1";
    assertEquals(new LeaseOpened(uri, disks.uri("r0-digests")), open(1));
    assertEquals(uri, open(1).targetUri(), "asked again, since the answer was lost");
    leases.intent(pass, new LeaseIntent(1, 0, "0+1048576", false));
    leases.done(pass, done(1, finish(5)));
    assertEquals("lease-lost", refused(() -> open(1)), "all of it is shipped");
    passes.seal(pass);
    verify(target).closeExport("bl-" + pass + "-0-t-1");
    verify(target).closeExport("bl-" + pass + "-0-d-1");
  }

  @Test
  void disksAreOpenedForTheCertificateOfWhoeverTookTheLease() throws Exception {
    String tug = "ab".repeat(32);
    String own = ServerKeys.own().fingerprint();
    List<Set<String>> readers = new ArrayList<>();
    when(source.openSnapshot(any(), any(), any(), any()))
        .thenAnswer(
            x -> {
              readers.add(DiskReaders.current());
              return new ExportRef(x.getArgument(0), "nbd+unix:///s", true);
            });
    when(target.openVolume(any(), any(), anyBoolean()))
        .thenAnswer(
            x -> {
              readers.add(DiskReaders.current());
              return new ExportRef(x.getArgument(0), "nbd+unix:///t", true);
            });
    offer();
    leases.take("tug-1", tug, 0);
    open(1);
    assertEquals(Set.of(Set.of(own, tug)), Set.copyOf(readers));
    assertTrue(readers.size() >= 3, "source, target and digests: " + readers.size());
    assertEquals(Set.of(own), DiskReaders.current(), "and what else is opened for this node only");
  }

  /** A tug that says that it wrote, and asked for nothing to write to. */
  @Test
  void digestsThatNobodyOpenedAreRecordedBeforeTheyAreLookedAt() throws Exception {
    offer();
    leases.take("tug-1", 0);
    leases.intent(pass, new LeaseIntent(1, 0, "0+1048576", false));
    leases.done(pass, done(1, finish(5)));
    passes.seal(pass);
    verify(target).closeExport("bl-" + pass + "-0-d-1");
  }

  @Test
  void aTargetThatCannotBeOpenedFailsThePassOrHasItOfferedAgain() throws Exception {
    offer();
    for (String code : List.of(SiteException.BUSY, SiteException.IN_USE, "unreachable", "frozen")) {
      boolean passesBy = !code.equals("frozen") && !code.equals(SiteException.IN_USE);
      Lease lease = leases.take("tug-1", 0).orElseThrow();
      doThrow(
              new SiteException(
                  passesBy ? SiteException.Kind.MAY_PASS : SiteException.Kind.FINAL,
                  code,
                  "the site says " + code,
                  null))
          .when(target)
          .openVolume("bl-" + pass + "-0-t-" + lease.epoch(), "r0", true);
      assertEquals("lease-lost", refused(() -> open(lease.epoch())), code);
      assertEquals(
          switch (code) {
            case "unreachable" -> PassState.LEASED;
            case "frozen" -> PassState.FAILED;
            default -> PassState.READY;
          },
          state(),
          code);
      now = now.plus(LEASE).plusMillis(1);
      if (!code.equals("frozen")) {
        passes.shipped(pass);
        now = now.plus(Passes.LONGEST_PAUSE);
      }
    }
    assertEquals("frozen", assertThrows(RunFailure.class, () -> passes.shipped(pass)).code());
  }

  /** A holder before was slow to open it: it loses the export as soon as it finds that out. */
  @Test
  void aReplicaThatALateHolderHasOpenIsWaitedFor() throws Exception {
    SiteException late =
        new SiteException(SiteException.Kind.FINAL, SiteException.IN_USE, "it is written", null);
    when(target.openVolume("bl-" + pass + "-0-t-1", "r0", true)).thenThrow(late);
    offer();
    leases.take("tug-1", 0);
    assertEquals("lease-lost", refused(() -> open(1)));
    assertEquals(PassState.READY, state());
    now = now.plus(Passes.LONGEST_PAUSE);
    take("tug-1");
  }
}
