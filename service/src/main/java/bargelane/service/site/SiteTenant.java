package bargelane.service.site;

import bargelane.sites.SiteAccess;
import org.hibernate.Session;

/**
 * A room that keeps something of a site's. It is asked when a site is reached, counted or removed,
 * in the caller's transaction.
 */
public interface SiteTenant {

  /**
   * Refuses the removal of a site while something must keep it.
   *
   * @throws bargelane.service.platform.ProblemException if so
   */
  default void mayGo(Session s, SiteEntity site) {}

  /** Removes what it keeps of a site that goes. */
  default void goes(Session s, SiteEntity site) {}

  /** Adds what it knows of how a site is reached. */
  default SiteAccess reached(Session s, SiteEntity site, SiteAccess access) {
    return access;
  }

  /** Machines that it counts at a site; 0 where it counts none. */
  default int machines(Session s, SiteEntity site) {
    return 0;
  }

  /** Servers that it counts at a site; null where a site of this kind has no list of them. */
  default Integer servers(Session s, SiteEntity site) {
    return null;
  }
}
