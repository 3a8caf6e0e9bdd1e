package bargelane.service.platform;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import jakarta.persistence.OptimisticLockException;
import java.io.Closeable;
import java.io.IOException;
import java.sql.SQLException;
import java.sql.SQLTransientConnectionException;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.function.Function;
import javax.sql.DataSource;
import org.flywaydb.core.Flyway;
import org.flywaydb.core.api.migration.JavaMigration;
import org.hibernate.Session;
import org.hibernate.SessionFactory;
import org.hibernate.StaleStateException;
import org.hibernate.cfg.Configuration;
import org.hibernate.query.SelectionQuery;

/** The database: Flyway owns its schema, Hibernate checks that the entities fit it. */
public final class Db implements Closeable {

  private static final int CONNECTIONS = 24;

  /** How long a transaction waits for a connection of the pool. */
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final HikariDataSource source;
  private final Away away;
  private final SessionFactory sessions;
  private final ThreadLocal<Session> inside = new ThreadLocal<>();

  /**
   * Connects, brings the schema up to date and checks the entities against it.
   *
   * @param migrations of rooms whose tables no SQL alone can bring up to date
   * @throws IOException if the schema is of a newer program, or in use by an older one
   */
  public Db(
      String url,
      String user,
      String password,
      List<Class<?>> entities,
      JavaMigration... migrations)
      throws IOException {
    this(url, user, password, CONNECTIONS, entities, migrations);
  }

  /** The same with another number of connections at most. */
  Db(
      String url,
      String user,
      String password,
      int connections,
      List<Class<?>> entities,
      JavaMigration... migrations)
      throws IOException {
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url);
    config.setUsername(user);
    config.setPassword(password);
    config.setMaximumPoolSize(connections);
    // Signing in is dear (SCRAM, thousands of hashes each): the others are opened when needed.
    config.setMinimumIdle(3);
    config.setPoolName("bargelane");
    config.setConnectionTimeout(PATIENCE.toMillis());
    source = new HikariDataSource(config);
    try {
      Schema.bring(source, migrations);
    } catch (IOException | RuntimeException e) {
      source.close();
      throw e;
    }
    Configuration hibernate = new Configuration();
    entities.forEach(hibernate::addAnnotatedClass);
    hibernate.getProperties().put("hibernate.connection.datasource", source);
    hibernate.setProperty("hibernate.hbm2ddl.auto", "validate");
    hibernate.setProperty("hibernate.jdbc.time_zone", "UTC");
    sessions = hibernate.buildSessionFactory();
    away = new Away(url, user, password);
  }

  /** The newest version of the schema that this program knows, found with any database. */
  public static int newestSchema(
      String url, String user, String password, JavaMigration... migrations) {
    return Arrays.stream(
            Flyway.configure()
                .dataSource(url, user, password)
                .javaMigrations(migrations)
                .load()
                .info()
                .all())
        .filter(m -> m.getVersion() != null && m.getScript() != null)
        .mapToInt(m -> m.getVersion().getMajor().intValue())
        .max()
        .orElse(0);
  }

  /** Has it seen whether the database is away: somebody's connection to it has broken. */
  public void suspect() {
    away.suspect();
  }

  /** Asks the database something, and fails if it can't be reached. */
  public void reach() {
    run(s -> s.createNativeQuery("select 1", Integer.class).getSingleResult());
  }

  public DataSource dataSource() {
    return source;
  }

  /**
   * Runs work in one transaction. Work that is done inside other work of the same thread joins its
   * transaction: one call needs one connection, so that many together never wait for each other.
   */
  public <T> T tx(Function<Session, T> work) {
    Session outer = inside.get();
    if (outer != null) {
      return work.apply(outer);
    }
    away.refuse();
    try {
      return sessions.fromTransaction(
          session -> {
            inside.set(session);
            try {
              return work.apply(session);
            } finally {
              inside.remove();
            }
          });
    } catch (RuntimeException e) {
      if (trouble(e).isPresent()) {
        away.suspect();
      }
      throw e;
    }
  }

  /** Runs work in one transaction, as {@link #tx} does. */
  public void run(Consumer<Session> work) {
    tx(
        s -> {
          work.accept(s);
          return null;
        });
  }

  /** A query with positional parameters ?1, ?2, …. */
  public static <T> List<T> list(Session session, Class<T> type, String hql, Object... parameters) {
    return query(session, type, hql, parameters).getResultList();
  }

  /** The first row of a query. */
  public static <T> Optional<T> first(
      Session session, Class<T> type, String hql, Object... parameters) {
    return query(session, type, hql, parameters).setMaxResults(1).getResultList().stream()
        .findFirst();
  }

  /** A query to refine further. */
  public static <T> SelectionQuery<T> query(
      Session session, Class<T> type, String hql, Object... parameters) {
    SelectionQuery<T> query = session.createSelectionQuery(hql, type);
    for (int i = 0; i < parameters.length; i++) {
      query.setParameter(i + 1, parameters[i]);
    }
    return query;
  }

  /** Lets one transaction at a time go on from here, of all that name the same thing. */
  public static void lock(Session session, String what) {
    session
        .createNativeQuery("select pg_advisory_xact_lock(hashtextextended(:what, 0))", Object.class)
        .setParameter("what", what)
        .getSingleResult();
  }

  /** A bulk change; gives the number of rows. */
  public static int change(Session session, String hql, Object... parameters) {
    var query = session.createMutationQuery(hql);
    for (int i = 0; i < parameters.length; i++) {
      query.setParameter(i + 1, parameters[i]);
    }
    return query.executeUpdate();
  }

  /**
   * What keeps the database from being used, if that is why something failed: it does not answer,
   * is going down, has no room, or took back a transaction (SQLSTATE classes 08, 40, 53, 57 and 58,
   * PostgreSQL's documentation, appendix A). It may pass: the same work may succeed later.
   */
  public static Optional<String> trouble(Throwable failure) {
    for (Throwable e = failure; e != null; e = e.getCause()) {
      if (e instanceof SQLException sql) {
        String state = sql.getSQLState() == null ? "" : sql.getSQLState();
        // The pool closes a connection that broke, and tells whoever still uses it without a state.
        boolean closed = state.isEmpty() && "Connection is closed".equals(e.getMessage());
        if (closed
            || e instanceof SQLTransientConnectionException
            || state.matches("(08|40|53|57|58).*")) {
          return Optional.of(e.getMessage().lines().findFirst().orElse(state));
        }
      }
    }
    return Optional.empty();
  }

  /** What {@link #refusal} tells of a change to what somebody else changed meanwhile. */
  public static final String CHANGED = "changed";

  /**
   * The SQLSTATE of what the database refused because of what it was given: a value that can't be
   * stored (class 22), or one that breaks a constraint (class 23).
   */
  public static Optional<String> refusal(Throwable failure) {
    for (Throwable e = failure; e != null; e = e.getCause()) {
      if (e instanceof OptimisticLockException || e instanceof StaleStateException) {
        return Optional.of(CHANGED);
      }
      if (e instanceof SQLException sql
          && sql.getSQLState() != null
          && sql.getSQLState().matches("22...|23505|23503")) {
        return Optional.of(sql.getSQLState());
      }
    }
    return Optional.empty();
  }

  @Override
  public void close() {
    away.close();
    sessions.close();
    source.close();
  }
}
