package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.node.Entities;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.sql.SQLException;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

class DbTest {

  /** Passes bytes on to PostgreSQL while it is open. */
  private static final class Way implements AutoCloseable {
    private final int to;
    private final int port;
    private final Set<Socket> open = ConcurrentHashMap.newKeySet();
    private ServerSocket server;

    Way(int to) throws IOException {
      this.to = to;
      this.server = new ServerSocket(0, 50, InetAddress.getLoopbackAddress());
      this.port = server.getLocalPort();
      accept(server);
    }

    private void accept(ServerSocket from) {
      begin(
          () -> {
            while (true) {
              Socket in = from.accept();
              Socket out = new Socket(InetAddress.getLoopbackAddress(), to);
              open.add(in);
              open.add(out);
              begin(() -> in.getInputStream().transferTo(out.getOutputStream()));
              begin(() -> out.getInputStream().transferTo(in.getOutputStream()));
            }
          });
    }

    private interface Work {
      void run() throws IOException;
    }

    private static void begin(Work work) {
      Thread thread =
          new Thread(
              () -> {
                try {
                  work.run();
                } catch (IOException e) {
                  // Shut.
                }
              });
      thread.setDaemon(true);
      thread.start();
    }

    void shut() throws IOException {
      server.close();
      for (Socket socket : open) {
        socket.close();
      }
      open.clear();
    }

    void reopen() throws IOException {
      server = new ServerSocket();
      server.setReuseAddress(true);
      server.bind(new InetSocketAddress(InetAddress.getLoopbackAddress(), port));
      accept(server);
    }

    @Override
    public void close() throws IOException {
      shut();
    }
  }

  private static RuntimeException failed(Db db) {
    return assertThrows(RuntimeException.class, db::reach);
  }

  @Test
  void whileTheDatabaseIsAwayEverybodyIsToldAtOnceAndItComesBackByItself() throws Exception {
    try (TestDatabase database = TestDatabase.apart()) {
      Matcher at = Pattern.compile(":(\\d+)/").matcher(database.url);
      assertTrue(at.find());
      try (Way way = new Way(Integer.parseInt(at.group(1)));
          Db db =
              new Db(
                  database.url.replace(at.group(), ":" + way.port + "/"),
                  "bargelane",
                  database.password,
                  Entities.ALL,
                  Entities.migrations())) {
        db.reach();
        way.shut();
        failed(db);
        assertTimeoutPreemptively(
            Duration.ofSeconds(60),
            () -> {
              while (!String.valueOf(failed(db).getMessage()).contains("not been reached since")) {
                Thread.onSpinWait();
              }
            });
        assertTrue(Db.trouble(failed(db)).orElseThrow().contains("since"));
        // Were each to wait for the pool it would be hours.
        for (int i = 0; i < 1000; i++) {
          failed(db);
        }
        way.reopen();
        assertTimeoutPreemptively(
            Duration.ofSeconds(60),
            () -> {
              while (true) {
                try {
                  db.reach();
                  return;
                } catch (RuntimeException e) {
                  Thread.onSpinWait();
                }
              }
            });
      }
    }
  }

  private static final int FEW = 4;

  /** As many as the pool has connections: each that held one and wanted another would wait. */
  @Test
  void workInsideOtherWorkNeedsNoOtherConnection() throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Db db =
            new Db(
                database.url,
                "bargelane",
                database.password,
                FEW,
                Entities.ALL,
                Entities.migrations())) {
      CyclicBarrier all = new CyclicBarrier(FEW);
      List<String> fared =
          AtOnce.fare(
              FEW,
              () ->
                  db.tx(
                      s -> {
                        try {
                          all.await(60, TimeUnit.SECONDS);
                        } catch (Exception e) {
                          throw new IllegalStateException(e);
                        }
                        Settings.installation(db);
                        return db.tx(t -> t == s);
                      }));
      assertEquals(Set.of("done"), Set.copyOf(fared));
    }
  }

  @Test
  void whatIsDoneInsideFailsWithWhatIsOutside() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      assertThrows(
          IllegalStateException.class,
          () ->
              db.run(
                  s -> {
                    db.run(
                        t ->
                            t.createNativeMutationQuery("insert into setting values ('a', 'b')")
                                .executeUpdate());
                    throw new IllegalStateException("outside");
                  }));
      assertEquals(
          List.of(),
          db.tx(
              s ->
                  s.createNativeQuery("select name from setting where name = 'a'", String.class)
                      .list()));
    }
  }

  @Test
  void aDatabaseThatIsAwayOrFullIsToldFromAStatementThatIsWrong() {
    assertEquals(
        Optional.of("could not extend file: No space left on device"),
        Db.trouble(
            new IllegalStateException(
                new SQLException("could not extend file: No space left on device", "53100"))));
    assertEquals(
        Optional.of("connection refused"),
        Db.trouble(new SQLException("connection refused", "08001")));
    assertEquals(
        Optional.of("Connection is closed"),
        Db.trouble(new IllegalStateException(new SQLException("Connection is closed"))),
        "the pool has closed it, and tells no state");
    assertEquals(Optional.empty(), Db.trouble(new SQLException("syntax error", "42601")));
    assertEquals(Optional.empty(), Db.trouble(new IllegalStateException("no database at all")));
  }
}
