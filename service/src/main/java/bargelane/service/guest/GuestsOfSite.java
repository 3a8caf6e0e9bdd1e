package bargelane.service.guest;

import bargelane.core.site.SiteKind;
import bargelane.service.platform.Db;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteTenant;
import bargelane.sites.SiteAccess;
import org.hibernate.Session;

/** Servers and agents are how their sites are reached. */
public final class GuestsOfSite implements SiteTenant {

  @Override
  public SiteAccess reached(Session s, SiteEntity site, SiteAccess access) {
    return new SiteAccess(
        access.kind(),
        access.name(),
        access.address(),
        access.credentials(),
        site.kind == SiteKind.SERVERS ? Servers.of(s, site.id) : access.servers(),
        site.kind == SiteKind.AGENTS ? Agents.states(s, site.id) : access.agents());
  }

  @Override
  public Integer servers(Session s, SiteEntity site) {
    return site.kind == SiteKind.SERVERS
        ? Db.first(s, Long.class, "select count(*) from ServerEntity where siteId = ?1", site.id)
            .orElse(0L)
            .intValue()
        : null;
  }
}
