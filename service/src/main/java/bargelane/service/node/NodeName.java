package bargelane.service.node;

import bargelane.service.platform.Nodes;
import java.io.Closeable;
import java.io.IOException;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A node's name, held for as long as the node lives: by a lock of the database's on a connection of
 * its own, which is gone with the node however that ends. A node takes up at once what one of its
 * name was doing, so two that live must not have one name.
 */
final class NodeName implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(NodeName.class);

  /** The lock of the one node that is about to start. */
  private static final String STARTING = "a node starts";

  /** A predecessor that was just killed may hold it for a moment. */
  private static final long PATIENCE_NS = TimeUnit.SECONDS.toNanos(10);

  private static final long AGAIN_MS = 200;
  private static final long LOOK_MS = 5000;
  private static final int ANSWER_SECONDS = 3;

  private final String url;
  private final String user;
  private final String password;
  private final String name;
  private final CountDownLatch closing = new CountDownLatch(1);
  private Connection connection;
  private volatile Shown shown = (c, started) -> {};
  private boolean seen;

  /** What a node shows of itself, on its own connection. */
  interface Shown {
    void on(Connection connection, boolean started) throws SQLException;
  }

  /**
   * Waits until no other node is about to start, and is the one that does until {@link #take}.
   *
   * @throws IOException if the database can't be used
   */
  NodeName(String url, String user, String password, String name) throws IOException {
    this.url = url;
    this.user = user;
    this.password = password;
    this.name = name;
    try {
      connection = DriverManager.getConnection(url, user, password);
      long told = System.nanoTime() + PATIENCE_NS;
      while (!locked(connection, STARTING)) {
        if (System.nanoTime() > told) {
          log.info("another node is starting on this database; this one waits for it");
          told = Long.MAX_VALUE;
        }
        closing.await(AGAIN_MS, TimeUnit.MILLISECONDS);
      }
    } catch (SQLException e) {
      throw new IOException("the database can't be used: " + e.getMessage(), e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /**
   * Takes the name, and lets others start.
   *
   * @throws IOException if a node that lives has it
   */
  void take() throws IOException {
    long until = System.nanoTime() + PATIENCE_NS;
    try {
      while (!locked(connection, "node " + name)) {
        if (System.nanoTime() > until || closing.await(AGAIN_MS, TimeUnit.MILLISECONDS)) {
          throw new IOException(
              "a node called "
                  + name
                  + " is running on this database: stop it, or give this one another name with"
                  + " --node");
        }
      }
      live(connection);
      try (PreparedStatement started =
          connection.prepareStatement("select pg_advisory_unlock(hashtextextended(?, 0))")) {
        started.setString(1, STARTING);
        started.execute();
      }
    } catch (SQLException e) {
      throw new IOException("the database can't be used: " + e.getMessage(), e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
    Thread keeper = new Thread(this::keep, "node-name");
    keeper.setDaemon(true);
    keeper.start();
  }

  private static boolean locked(Connection at, String what) throws SQLException {
    try (PreparedStatement lock =
        at.prepareStatement("select pg_try_advisory_lock(hashtextextended(?, 0))")) {
      lock.setString(1, what);
      try (ResultSet r = lock.executeQuery()) {
        return r.next() && r.getBoolean(1);
      }
    }
  }

  /** That there is a node, for who must know that there is no other. */
  private static void live(Connection at) throws SQLException {
    try (PreparedStatement one =
        at.prepareStatement("select pg_advisory_lock_shared(hashtextextended(?, 0))")) {
      one.setString(1, Nodes.LIVE);
      one.execute();
    }
  }

  private synchronized boolean again() throws SQLException {
    Connection fresh = DriverManager.getConnection(url, user, password);
    try {
      if (closing.getCount() > 0 && locked(fresh, "node " + name)) {
        connection = fresh;
        live(fresh);
        return true;
      }
    } catch (SQLException e) {
      fresh.close();
      throw e;
    }
    fresh.close();
    return false;
  }

  /**
   * Has the node be seen from now on, until it is closed.
   *
   * @throws IOException if it can't be
   */
  synchronized void shows(Shown what) throws IOException {
    shown = what;
    try {
      show(true);
      seen = true;
    } catch (SQLException e) {
      throw new IOException("the database can't be used: " + e.getMessage(), e);
    }
  }

  private synchronized void show(boolean started) throws SQLException {
    if (closing.getCount() > 0) {
      shown.on(connection, started);
    }
  }

  /** Takes it again after the database was away. */
  private void keep() {
    try {
      while (!closing.await(LOOK_MS, TimeUnit.MILLISECONDS)) {
        try {
          if (!connection.isValid(ANSWER_SECONDS) && !again()) {
            log.error("another node is running under this node's name, {}", name);
          } else {
            show(false);
          }
        } catch (SQLException e) {
          log.debug("the database is away: {}", e.getMessage());
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public synchronized void close() {
    closing.countDown();
    try (Connection last = connection) {
      // One that did not get so far is not the one that is seen under this name.
      if (seen) {
        Nodes.gone(last, name);
      }
    } catch (SQLException e) {
      log.debug("it is gone with its connection: {}", e.getMessage());
    }
  }
}
