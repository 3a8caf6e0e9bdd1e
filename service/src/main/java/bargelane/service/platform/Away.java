package bargelane.service.platform;

import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.SQLTransientConnectionException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Properties;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.RejectedExecutionException;
import java.util.concurrent.atomic.AtomicBoolean;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Whether the database is away. Whoever meets trouble has it looked at, on a connection of its own;
 * while it can't be reached, everybody is refused at once instead of waiting for the pool.
 */
final class Away {

  private static final Logger log = LoggerFactory.getLogger(Away.class);
  private static final long AGAIN_MS = 500;

  /** Seconds for a connection, and for an answer on it. */
  private static final String PATIENCE = "3";

  private final String url;
  private final Properties properties = new Properties();
  private final AtomicBoolean looking = new AtomicBoolean();
  private final ExecutorService watch =
      Executors.newSingleThreadExecutor(
          r -> {
            Thread thread = new Thread(r, "database-watch");
            thread.setDaemon(true);
            return thread;
          });
  private volatile Instant since;

  Away(String url, String user, String password) {
    this.url = url;
    properties.setProperty("user", user);
    properties.setProperty("password", password);
    properties.setProperty("connectTimeout", PATIENCE);
    properties.setProperty("socketTimeout", PATIENCE);
    properties.setProperty("loginTimeout", PATIENCE);
  }

  /** Fails if the database is away. */
  void refuse() {
    Instant then = since;
    if (then != null) {
      throw new DatabaseAwayException(
          new SQLTransientConnectionException(
              "it has not been reached since " + then.truncatedTo(ChronoUnit.SECONDS)));
    }
  }

  /** What is thrown while it is away; {@link Db#trouble} knows it by its cause. */
  static final class DatabaseAwayException extends RuntimeException {
    private static final long serialVersionUID = 1;

    DatabaseAwayException(SQLTransientConnectionException cause) {
      super(cause.getMessage(), cause);
    }
  }

  /** Looks whether it is away, and until it is back. */
  void suspect() {
    if (looking.compareAndSet(false, true)) {
      try {
        watch.execute(this::look);
      } catch (RejectedExecutionException e) {
        log.debug("closed: the database is not looked at any more");
      }
    }
  }

  private void look() {
    Instant first = Instant.now();
    try {
      while (!reached()) {
        if (since == null) {
          since = first;
          log.warn("the database is away");
        }
        Thread.sleep(AGAIN_MS);
      }
      if (since != null) {
        log.info("the database is back; it was away since {}", since);
      }
      since = null;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } finally {
      looking.set(false);
    }
  }

  private boolean reached() {
    try (Connection connection = DriverManager.getConnection(url, properties)) {
      return connection.isValid(3);
    } catch (SQLException e) {
      log.debug("the database is not reached: {}", e.getMessage());
      return false;
    }
  }

  void close() {
    watch.shutdownNow();
  }
}
