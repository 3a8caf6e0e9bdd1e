package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.backup.Backups;
import bargelane.service.backup.PostgresTools;
import bargelane.service.platform.Db;
import bargelane.service.platform.Settings;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.Vault;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.Statement;
import java.time.Clock;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A backup that is asked for while the master key is being changed. */
class BackupKeyTest {

  private static final Optional<char[]> PASSPHRASE =
      Optional.of("twelve letters or more".toCharArray());

  @TempDir Path dir;

  private static PostgresTools tools(TestDatabase d) {
    return new PostgresTools(d.url, "bargelane", d.password);
  }

  private static Connection connect(TestDatabase d) throws Exception {
    return DriverManager.getConnection(d.url, "bargelane", d.password);
  }

  private static void untilSomebodyWaits(TestDatabase d) throws Exception {
    try (Connection c = connect(d);
        Statement s = c.createStatement()) {
      for (int i = 0; i < 600; i++) {
        try (ResultSet r =
            s.executeQuery(
                "select count(*) from pg_locks where locktype = 'advisory' and not granted")) {
          r.next();
          if (r.getInt(1) > 0) {
            return;
          }
        }
        TimeUnit.MILLISECONDS.sleep(50);
      }
    }
    throw new AssertionError("the backup does not wait for the key");
  }

  @Test
  void itsKeyIsTheOneThatItsSecretsAreSealedWith() throws Exception {
    try (TestDatabase from = TestDatabase.apart();
        TestDatabase to = TestDatabase.apart();
        Db db = from.connect()) {
      Path home = Files.createDirectories(dir.resolve("from"));
      Settings.installation(db);
      Vault vault = Vault.of(home.resolve("master-key"), db);
      CountDownLatch changing = new CountDownLatch(1);
      CountDownLatch go = new CountDownLatch(1);
      CompletableFuture<Integer> change =
          CompletableFuture.supplyAsync(
              () ->
                  vault.change(
                      db,
                      s -> {
                        changing.countDown();
                        try {
                          assertTrue(go.await(60, TimeUnit.SECONDS));
                        } catch (InterruptedException e) {
                          throw new IllegalStateException(e);
                        }
                      }));
      assertTrue(changing.await(60, TimeUnit.SECONDS));
      Path file = dir.resolve("b.zip");
      CompletableFuture<Void> backup =
          CompletableFuture.runAsync(
              () -> {
                try {
                  new Backups(tools(from), home, Clock.systemUTC()).create(file, PASSPHRASE, "1");
                } catch (java.io.IOException e) {
                  throw new java.io.UncheckedIOException(e);
                }
              });
      untilSomebodyWaits(from);
      go.countDown();
      assertEquals(0, change.get());
      backup.get();
      try (Connection c = connect(to);
          Statement s = c.createStatement()) {
        s.execute("drop schema public cascade; create schema public");
      }
      Path restored = Files.createDirectories(dir.resolve("to"));
      new Backups(tools(to), restored, Clock.systemUTC()).restore(file, PASSPHRASE, 999);
      try (Db again = to.connect()) {
        // A key that is not the one would be refused here.
        Vault.of(restored.resolve("master-key"), again);
      }
    }
  }
}
