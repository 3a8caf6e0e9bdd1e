package bargelane.service.assess;

import bargelane.core.assess.Assessed;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Basis;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Fitness.Way;
import bargelane.core.assess.Offer;
import bargelane.core.assess.Sizing;
import bargelane.core.assess.Subject;
import bargelane.service.platform.Db;
import bargelane.service.usage.UsageDigests;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.LocalDate;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentLinkedDeque;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.function.Consumer;
import java.util.function.Function;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Goes through machines in blocks, on as many threads as there are processors: what is read is
 * bounded by the blocks, whatever the number of machines.
 */
final class Assessor {

  private static final Logger log = LoggerFactory.getLogger(Assessor.class);

  /** Machines that are read at once: with 30 days of digests about 10 MB. */
  private static final int BLOCK = 200;

  private final Db db;
  private final Assumptions assumptions;
  private final Map<String, BigDecimal> hours;
  private final FitnessYaml.Read rules;
  private final Offer offer;
  private final LocalDate today;

  Assessor(
      Db db,
      Assumptions assumptions,
      Map<String, BigDecimal> hours,
      FitnessYaml.Read rules,
      Offer offer,
      LocalDate today) {
    this.db = db;
    this.assumptions = assumptions;
    this.hours = hours;
    this.rules = rules;
    this.offer = offer;
    this.today = today;
  }

  /**
   * Assesses machines by their ids.
   *
   * @param kept what is kept of each; called on several threads
   * @param block gets what is kept, in blocks, on the caller's thread
   */
  <T> void assess(List<String> ids, Function<Assessed, T> kept, Consumer<List<T>> block) {
    Sizing sizing = new Sizing(offer, assumptions);
    each(ids, loaded -> kept.apply(assess(sizing, loaded)), block);
  }

  private Assessed assess(Sizing sizing, Subjects.Loaded loaded) {
    Subject subject = loaded.subject();
    List<Judgement> judged =
        rules.fitness().judge(subject.facts().name(), loaded.facts(), loaded.told());
    Optional<Way> way = rules.fitness().way(loaded.facts());
    return Assessed.of(
        subject,
        sizing.size(Basis.CONFIGURED, subject),
        sizing.size(Basis.OBSERVED, subject),
        assumptions.basis(),
        judged,
        way.map(Way::way).orElse(""),
        way.map(Way::why).orElse(""));
  }

  /** Computes something of each machine, on several threads, and hands it over in blocks. */
  <T> void each(
      List<String> ids, Function<Subjects.Loaded, T> compute, Consumer<List<T>> handOver) {
    List<List<String>> blocks = Subjects.blocks(ids, BLOCK);
    int threads = Math.min(blocks.size(), Runtime.getRuntime().availableProcessors());
    ExecutorService pool = Executors.newFixedThreadPool(threads);
    // Bounded by how many are asked for beforehand, so that a slow taker holds the readers up.
    Deque<Future<List<T>>> ahead = new ArrayDeque<>();
    Deque<Reader> readers = new ConcurrentLinkedDeque<>();
    try (Connection shared = connection()) {
      Subjects subjects = new Subjects(shared, assumptions, hours, rules, offer, today);
      Iterator<List<String>> left = blocks.iterator();
      while (left.hasNext() || !ahead.isEmpty()) {
        while (left.hasNext() && ahead.size() < 2 * threads) {
          List<String> next = left.next();
          ahead.add(pool.submit(() -> block(subjects, readers, next, compute)));
        }
        handOver.accept(ahead.remove().get());
      }
    } catch (SQLException e) {
      throw new IllegalStateException("machines can't be read", e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("assessing was interrupted", e);
    } catch (ExecutionException e) {
      if (e.getCause() instanceof RuntimeException unexpected) {
        throw unexpected;
      }
      throw new IllegalStateException("machines can't be read", e.getCause());
    } finally {
      pool.shutdownNow();
      readers.forEach(Reader::close);
    }
  }

  private <T> List<T> block(
      Subjects subjects,
      Deque<Reader> readers,
      List<String> ids,
      Function<Subjects.Loaded, T> compute)
      throws SQLException {
    Reader idle = readers.poll();
    Reader reader = idle == null ? new Reader() : idle;
    List<T> done = new ArrayList<>(ids.size());
    try {
      subjects.load(
          reader.connection, reader.usage, ids, loaded -> done.add(compute.apply(loaded)));
    } finally {
      readers.push(reader);
    }
    return done;
  }

  /** A connection with its prepared statement, used by one thread at a time. */
  private final class Reader {
    private final Connection connection = connection();
    private final UsageDigests.Reader usage =
        new UsageDigests.Reader(connection, assumptions.from(), assumptions.days());

    private Reader() throws SQLException {}

    private void close() {
      try (Connection c = connection) {
        usage.close();
      } catch (SQLException e) {
        log.warn("a connection could not be given back", e);
      }
    }
  }

  private Connection connection() throws SQLException {
    Connection c = db.dataSource().getConnection();
    c.setReadOnly(true);
    return c;
  }
}
