package bargelane.service.http;

import java.util.Set;

/** What belongs to the machines of a filter, to which an account's roles may be limited. */
public interface Limits {

  /**
   * Whether a thing is theirs.
   *
   * @param reach which kind of thing
   * @param ref its id or name
   * @param machines the filter
   */
  boolean holds(Reach reach, String ref, String machines);

  /** Ids of the tows all of whose machines are theirs. */
  Set<String> tows(String machines);
}
