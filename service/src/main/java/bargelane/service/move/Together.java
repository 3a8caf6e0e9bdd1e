package bargelane.service.move;

import bargelane.service.run.Work;
import bargelane.sites.Acting;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.function.Consumer;

/** Does for several machines at once what would be downtime of all if it were done in turn. */
final class Together {

  private Together() {}

  /**
   * Does the same with each, a few at a time and on behalf of whom the present thread acts for.
   * Returns or fails once nothing is being done any more: with the first failure in the order of
   * the list, but a run that was taken over before all others.
   *
   * @param most that are done at once
   */
  static <T> void each(List<T> all, int most, Consumer<T> work) {
    if (all.size() < 2) {
      all.forEach(work);
      return;
    }
    Optional<Acting> acting = Acting.current();
    ExecutorService threads = Executors.newFixedThreadPool(Math.min(most, all.size()));
    try {
      List<? extends Future<?>> begun =
          all.stream().map(one -> threads.submit(() -> actingAs(acting, work, one))).toList();
      RuntimeException failure = null;
      for (Future<?> f : begun) {
        Optional<RuntimeException> failed = failure(f);
        if (failed.isPresent()
            && (failure == null
                || failed.get() instanceof Work.StaleEpoch
                    && !(failure instanceof Work.StaleEpoch))) {
          failure = failed.get();
        }
      }
      if (failure != null) {
        throw failure;
      }
    } finally {
      threads.shutdownNow();
    }
  }

  private static <T> void actingAs(Optional<Acting> acting, Consumer<T> work, T one) {
    if (acting.isEmpty()) {
      work.accept(one);
      return;
    }
    acting
        .get()
        .run(
            () -> {
              work.accept(one);
              return null;
            });
  }

  private static Optional<RuntimeException> failure(Future<?> f) {
    boolean interrupted = false;
    try {
      while (true) {
        try {
          f.get();
          return Optional.empty();
        } catch (InterruptedException e) {
          // What was begun is seen to its end: nothing is done behind the back of who comes next.
          interrupted = true;
        } catch (ExecutionException e) {
          if (e.getCause() instanceof Error error) {
            throw error;
          }
          return Optional.of((RuntimeException) e.getCause());
        }
      }
    } finally {
      if (interrupted) {
        Thread.currentThread().interrupt();
      }
    }
  }
}
