package bargelane.sites;

import bargelane.core.finding.Finding;
import bargelane.core.guest.Survey;
import java.util.Optional;
import java.util.function.Consumer;

/**
 * Machines that are read from inside, each by itself: one that can't be read keeps no other from
 * it.
 */
public interface Surveys {

  /**
   * How one reading went.
   *
   * @param hostKey the fingerprint of the key that the server showed; empty if it showed none
   * @param credential the name of the one that let us in; empty if none did
   * @param trouble why there is no survey
   */
  record Reading(
      ServerAccess server,
      Optional<Survey> survey,
      String hostKey,
      String credential,
      Optional<Finding> trouble) {}

  /** Reads all, several at a time; each is handed over as soon as it is read, one after another. */
  void read(Consumer<Reading> each);

  /** The same, but for what is slow: counters, open connections and who it is. */
  void look(Consumer<Reading> each);
}
