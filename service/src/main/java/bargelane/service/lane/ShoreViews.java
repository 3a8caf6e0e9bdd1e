package bargelane.service.lane;

import bargelane.api.ShoreView;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Suggestions;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Storage;
import bargelane.service.platform.Json;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/** What is at each end of a lane, and what of it is joined. */
final class ShoreViews {

  private static final String SOURCE = "source";
  private static final String TARGET = "target";

  private ShoreViews() {}

  /** Both ends; nothing is known of one that was not scanned. */
  static List<ShoreView> of(Session s, LaneEntity lane) {
    LanePlan plan = Json.read(lane.plan, LanePlan.class);
    LanePlan.Reverse back = plan.reverse();
    Inventories inventories = new Inventories(s);
    List<ShoreView> all = new ArrayList<>();
    end(s, inventories, lane.fromSiteId, SOURCE, plan.networks(), plan.storages(), all);
    end(s, inventories, lane.toSiteId, TARGET, back.networks(), back.storages(), all);
    return all;
  }

  private static void end(
      Session s,
      Inventories inventories,
      String siteId,
      String side,
      Map<String, String> networks,
      Map<String, String> storages,
      List<ShoreView> all) {
    SiteEntity site = s.find(SiteEntity.class, siteId);
    Optional<Inventory> known = inventories.maybe(site);
    if (known.isEmpty()) {
      return;
    }
    Map<String, List<String>> addresses = Lanes.addresses(inventories, site, known.get());
    for (Network n : known.get().networks()) {
      if (!n.isolated()) {
        List<String> used = addresses.getOrDefault(n.id(), List.of());
        all.add(
            new ShoreView(
                side,
                "network",
                n.id(),
                n.name(),
                n.cidr() == null ? "" : n.cidr(),
                used.size(),
                side.equals(TARGET) ? free(n, used) : -1,
                networks.getOrDefault(n.id(), "")));
      }
    }
    Map<String, Suggestions.Load> loads = Lanes.loads(s, site, Map.of());
    for (Storage x : known.get().storages()) {
      all.add(
          new ShoreView(
              side,
              "storage",
              x.id(),
              x.name(),
              x.media(),
              loads.getOrDefault(x.id(), Suggestions.Load.NONE).disks(),
              -1,
              storages.getOrDefault(x.id(), "")));
    }
  }

  /** Addresses that are given out, nobody has and the platform does not keep. */
  private static long free(Network n, List<String> used) {
    return Subnet.of(n.cidr())
        .map(
            range -> {
              long kept = n.reserved().stream().filter(range::gives).count();
              long taken =
                  used.stream()
                      .filter(a -> range.gives(a) && !n.reserved().contains(a))
                      .distinct()
                      .count();
              return Math.max(0, range.room() - kept - taken);
            })
        .orElse(-1L);
  }
}
