package bargelane.core.wave;

import bargelane.core.word.Worded;
import java.util.Optional;

/**
 * How it is seen that a machine that was started does its work.
 *
 * @param port of the guest; 0 for the one that its site knows it serves
 * @param path what is asked for over HTTP
 * @param withinSeconds the time that it may take from its start
 */
public record ProbePlan(Kind kind, int port, String path, int withinSeconds) {

  /** What counts as an answer. */
  public enum Kind implements Worded {
    /** A response over HTTP that tells of no error. */
    HTTP("http"),
    /** A connection that is accepted. */
    TCP("tcp"),
    /** None is waited for: to be on is enough. */
    NONE("none");

    private final String word;

    Kind(String word) {
      this.word = word;
    }

    @Override
    public String word() {
      return word;
    }
  }

  /** What is done where nobody has said otherwise. */
  public static final ProbePlan USUAL = new ProbePlan(Kind.HTTP, 0, "/", 180);

  /** The longest time that a machine may be given: an hour. */
  public static final int LONGEST = 3600;

  private static final int LAST_PORT = 65535;

  /** Whether another asks for the same; the time it gives may differ. */
  public boolean asksAs(ProbePlan other) {
    return kind == other.kind && port == other.port && path.equals(other.path);
  }

  /** What is wrong with it; empty if nothing is. */
  public Optional<String> wrong() {
    if (port < 0 || port > LAST_PORT) {
      return Optional.of("'" + port + "' is not a port: give 1 to " + LAST_PORT);
    }
    if (!path.startsWith("/") || path.chars().anyMatch(c -> c <= ' ' || c > '~')) {
      return Optional.of("'" + path + "' is not a path: it begins with / and has no spaces");
    }
    return withinSeconds < 1 || withinSeconds > LONGEST
        ? Optional.of("a machine is given 1 second to an hour, not " + withinSeconds + " s")
        : Optional.empty();
  }
}
