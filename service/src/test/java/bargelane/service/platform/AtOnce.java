package bargelane.service.platform;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/** Has several callers do a thing in the same moment. */
public final class AtOnce {

  private AtOnce() {}

  /** How each of them fared: "done", the code of a refusal, or the failure itself. */
  public static List<String> fare(int callers, Callable<?> what) throws Exception {
    CyclicBarrier start = new CyclicBarrier(callers);
    ExecutorService threads = Executors.newFixedThreadPool(callers);
    try {
      List<Future<?>> all = new ArrayList<>();
      for (int i = 0; i < callers; i++) {
        all.add(
            threads.submit(
                () -> {
                  start.await();
                  return what.call();
                }));
      }
      List<String> fared = new ArrayList<>();
      for (Future<?> one : all) {
        fared.add(how(one));
      }
      return fared.stream().sorted().toList();
    } finally {
      threads.shutdownNow();
    }
  }

  private static String how(Future<?> one) throws InterruptedException {
    try {
      one.get();
      return "done";
    } catch (ExecutionException e) {
      return e.getCause() instanceof ProblemException p ? p.code() : e.getCause().toString();
    }
  }
}
