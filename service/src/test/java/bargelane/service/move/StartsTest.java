package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.core.wave.ProbePlan;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Two machines of one rank, the first of which answers last. */
class StartsTest extends MovesFixture {

  private ServerSocket first;
  private ServerSocket second;

  @BeforeEach
  void twoOfOneRank() throws IOException {
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen)"
                      + " select 'm-2', site_id, 'p-2', 'press', facts, first_seen, last_seen"
                      + " from machine where id = 'm-1'")
              .executeUpdate();
          MemberEntity other = new MemberEntity();
          other.id = "mem-2";
          other.towId = "tow";
          other.machineId = "m-2";
          other.name = "press";
          other.rank = 1;
          other.size = "";
          other.sizeBasis = "";
          other.home = Json.text(new Berth("p-2", java.util.List.of("vol-1"), java.util.List.of()));
          other.open = true;
          s.persist(other);
          for (String id : java.util.List.of("mem", "mem-2")) {
            s.flush();
            s.find(MemberEntity.class, id).probe =
                Json.text(new ProbePlan(ProbePlan.Kind.TCP, 80, "/", 60));
          }
        });
    first = listening();
    second = listening();
    when(away.compute.console(any(), anyInt())).thenReturn(Optional.empty());
    when(away.compute.wayIn(eq("new-1"), anyInt())).thenReturn(way(first));
    when(away.compute.wayIn(eq("new-2"), anyInt())).thenReturn(way(second));
    work().put(MoveNotes.MACHINES, Map.of("mem", "new-1", "mem-2", "new-2"));
  }

  @AfterEach
  void closed() throws IOException {
    first.close();
    second.close();
  }

  private static ServerSocket listening() throws IOException {
    return new ServerSocket(0, 10, InetAddress.getLoopbackAddress());
  }

  private static Compute.WayIn way(ServerSocket server) {
    return new Compute.WayIn("127.0.0.1", server.getLocalPort(), true);
  }

  private Outcome start() {
    Work w = work();
    return landing.startSteps(w, Side.AWAY).get(0).action().run(w);
  }

  @Test
  void machinesOfOneRankStartTogetherAndEachIsAskedUntilItAnswers() throws IOException {
    first.close();
    String waits = assertInstanceOf(Outcome.Wait.class, start()).detail();
    assertTrue(waits.startsWith("ledger ") && !waits.contains("press"), waits);
    verify(away.compute).start("new-1");
    verify(away.compute).start("new-2");
    second.close();
    first = listening();
    when(away.compute.wayIn(eq("new-1"), anyInt())).thenReturn(way(first));
    assertEquals("healthy: ledger, press", assertInstanceOf(Outcome.Done.class, start()).detail());
    verify(away.compute, times(1)).start("new-2");
  }

  @Test
  void bothHaveTheWholeTimeFromTheirOwnStart() throws IOException {
    first.close();
    second.close();
    String waits = assertInstanceOf(Outcome.Wait.class, start()).detail();
    assertTrue(waits.contains("ledger ") && waits.contains("; press "), waits);
    now = now.plusSeconds(61);
    assertEquals("probe-failed", assertThrows(RunFailure.class, this::start).code());
  }
}
