package bargelane.service.assess;

import java.util.Map;
import java.util.Set;
import org.hibernate.Session;

/** Whoever gives machines their sizes when they are accepted: the planning of waves. */
public interface SizeTaker {

  /**
   * Gives the machines of open waves to a site the sizes that were accepted, in the caller's
   * transaction.
   *
   * @param sizes by machine id
   * @param basis where they are from, in words
   * @return names of the waves whose machines got one
   */
  Set<String> take(Session s, String targetSiteId, Map<String, String> sizes, String basis);
}
