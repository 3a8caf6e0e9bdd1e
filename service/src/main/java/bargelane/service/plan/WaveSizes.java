package bargelane.service.plan;

import bargelane.service.assess.SizeTaker;
import bargelane.service.replication.Tows;
import java.util.Map;
import java.util.Set;
import org.hibernate.Session;

/** Machines of open waves get the sizes that are accepted for them. */
public final class WaveSizes implements SizeTaker {

  @Override
  public Set<String> take(Session s, String targetSiteId, Map<String, String> sizes, String basis) {
    return Tows.size(s, targetSiteId, sizes, basis);
  }
}
