package bargelane.service.node;

import bargelane.service.site.Credentials;
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

  /**
   * Takes the name.
   *
   * @throws IOException if a node that lives has it
   */
  NodeName(String url, String user, String password, String name) throws IOException {
    this.url = url;
    this.user = user;
    this.password = password;
    this.name = name;
    long until = System.nanoTime() + PATIENCE_NS;
    try {
      while (!take()) {
        if (System.nanoTime() > until || closing.await(AGAIN_MS, TimeUnit.MILLISECONDS)) {
          throw new IOException(
              "a node called "
                  + name
                  + " is running on this database: stop it, or give this one another name with"
                  + " --node");
        }
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

  private synchronized boolean take() throws SQLException {
    Connection fresh = DriverManager.getConnection(url, user, password);
    try (PreparedStatement lock =
        fresh.prepareStatement("select pg_try_advisory_lock(hashtextextended(?, 0))")) {
      lock.setString(1, "node " + name);
      try (ResultSet r = lock.executeQuery()) {
        if (r.next() && r.getBoolean(1) && closing.getCount() > 0) {
          connection = fresh;
          // That there is a node, for who must know that there is no other.
          try (PreparedStatement one =
              fresh.prepareStatement("select pg_advisory_lock_shared(hashtextextended(?, 0))")) {
            one.setString(1, Credentials.NODES);
            one.execute();
          }
          return true;
        }
      }
    } catch (SQLException e) {
      fresh.close();
      throw e;
    }
    fresh.close();
    return false;
  }

  /** Takes it again after the database was away. */
  private void keep() {
    try {
      while (!closing.await(LOOK_MS, TimeUnit.MILLISECONDS)) {
        try {
          if (!connection.isValid(ANSWER_SECONDS) && !take()) {
            log.error("another node is running under this node's name, {}", name);
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
    try {
      connection.close();
    } catch (SQLException e) {
      log.debug("it is gone with its connection: {}", e.getMessage());
    }
  }
}
