package bargelane.service.machine;

import bargelane.service.platform.Db;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteTenant;
import java.time.Clock;
import org.hibernate.Session;

/** The machines of a site go with it, unless another site tells of them too. */
public final class MachinesOfSite implements SiteTenant {

  private final Clock clock;

  public MachinesOfSite(Clock clock) {
    this.clock = clock;
  }

  @Override
  public void goes(Session s, SiteEntity site) {
    MachineBook book = new MachineBook(s, site, clock.instant());
    Db.list(s, String.class, "select sourceKey from SightingEntity where siteId = ?1", site.id)
        .forEach(key -> Sightings.forget(s, book, site, key));
    s.flush();
    Db.change(s, "delete from MachineEntity where siteId = ?1", site.id);
  }

  @Override
  public int machines(Session s, SiteEntity site) {
    return Db.first(
            s,
            Long.class,
            "select count(*) from MachineEntity m where (m.siteId = ?1 or m.id in"
                + " (select g.machineId from SightingEntity g where g.siteId = ?1))"
                + " and m.vanishedAt is null",
            site.id)
        .orElse(0L)
        .intValue();
  }
}
