package bargelane.service.plan;

import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.Preflight;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.lane.Shores;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.Inventory.Share;
import bargelane.service.lane.LaneEntity;
import bargelane.service.replication.TowState;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/**
 * Both ends of a lane as they are known now, for placing machines: what they have, and which of it
 * is spoken for.
 *
 * <p>Cost: rows of both sites without their machines, addresses of the subnets that are gone to,
 * and a sum over the replicas of other waves to the site.
 */
final class Ends {

  private final Session s;
  private final Inventories inventories;
  private final LaneEntity lane;
  private final SiteEntity home;
  private final SiteEntity away;

  Ends(Session s, Inventories inventories, LaneEntity lane, SiteEntity home, SiteEntity away) {
    this.s = s;
    this.inventories = inventories;
    this.lane = lane;
    this.home = home;
    this.away = away;
  }

  /** For the machines of a wave, whose own copies may be there already. */
  Shores shores(Rules rules, List<LaneMachine> machines, TowState of) {
    Inventory target = inventories.of(away);
    // Where the platform does not tell whose what is there is, what was made is not asked for
    // again.
    Share own =
        target
            .quota()
            .of(of.tow.id)
            .orElseGet(
                () ->
                    new Share(
                        "",
                        0,
                        of.replicas.isEmpty()
                            ? 0
                            : Preflight.bytes(machines.stream().map(rules::copied).toList())));
    return shores(rules, machines, demand(target, of.tow.id), own);
  }

  /** For machines of any waves, and of none. */
  Shores shores(Rules rules, List<LaneMachine> machines) {
    List<String> tows =
        s.createNativeQuery("select id from tow where lane_id = :lane", String.class)
            .setParameter("lane", lane.id)
            .getResultList();
    Inventory.Quota quota = inventories.of(away).quota();
    List<Share> own = tows.stream().flatMap(t -> quota.of(t).stream()).toList();
    return shores(
        rules,
        machines,
        Shores.Demand.NONE,
        new Share(
            "",
            own.stream().mapToInt(Share::machines).sum(),
            own.stream().mapToLong(Share::volumeBytes).sum()));
  }

  private Shores shores(Rules rules, List<LaneMachine> machines, Shores.Demand others, Share own) {
    Inventory source = inventories.of(home);
    Inventory target = inventories.of(away);
    Set<String> named = new LinkedHashSet<>();
    for (LaneMachine m : machines) {
      for (int i = 0; i < m.facts().nics().size(); i++) {
        rules.card(Setting.SUBNET, m, i).ifPresent(e -> named.add(e.value()));
      }
    }
    Set<String> subnets = new LinkedHashSet<>();
    named.forEach(n -> target.network(n).map(Network::id).ifPresent(subnets::add));
    return new Shores(
        lane.name,
        away.name,
        source,
        target,
        Sites.capabilities(away),
        inventories.taken(away, subnets),
        atSource(source, target, subnets),
        inventories.once(
            "given at " + away.id + " " + subnets, () -> GivenAddresses.of(s, away.id, subnets)),
        others,
        own);
  }

  /** Cards on those networks of the source whose ranges have to do with what is gone to. */
  private List<Nic> atSource(Inventory source, Inventory target, Collection<String> subnets) {
    List<Subnet> ranges =
        subnets.stream()
            .flatMap(n -> target.network(n).stream())
            .flatMap(n -> Subnet.of(n.cidr()).stream())
            .toList();
    List<String> near =
        source.networks().stream()
            .filter(
                n -> {
                  var range = Subnet.of(n.cidr());
                  return range.isEmpty() || ranges.stream().anyMatch(range.get()::overlaps);
                })
            .map(Network::id)
            .toList();
    return inventories.taken(home, near);
  }

  /** What a wave that is loaded and not moved takes at its target. */
  private record Need(String wave, int machines, long bytes) {}

  /** By tow. */
  private Map<String, Need> needs() {
    return inventories.once(
        "needs at " + away.id,
        () -> {
          Map<String, Need> needs = new LinkedHashMap<>();
          s.createNativeQuery(
                  "select t.id, t.name, (select count(*) from member m where m.tow_id = t.id),"
                      + " (select coalesce(sum(r.bytes + r.bytes / 2048), 0) from replica r"
                      + " where r.leg_id = l.id) from tow t join lane on lane.id = t.lane_id"
                      + " join leg l on l.tow_id = t.id and l.state <> 'closed'"
                      + " and l.direction = 'out' where lane.to_site_id = :site"
                      + " and t.settled_at is null and not t.landed order by t.name",
                  Object[].class)
              .setParameter("site", away.id)
              .getResultList()
              .forEach(
                  r ->
                      needs.put(
                          (String) r[0],
                          new Need(
                              (String) r[1],
                              ((Number) r[2]).intValue(),
                              ((Number) r[3]).longValue())));
          return needs;
        });
  }

  /** What other waves that are loaded have not been seen to have at the target yet. */
  private Shores.Demand demand(Inventory target, String tow) {
    int machines = 0;
    long bytes = 0;
    List<String> waves = new ArrayList<>();
    for (Map.Entry<String, Need> other : needs().entrySet()) {
      if (other.getKey().equals(tow)) {
        continue;
      }
      Optional<Share> there = target.quota().of(other.getKey());
      int count = Math.max(0, other.getValue().machines() - there.map(Share::machines).orElse(0));
      long more =
          there.map(x -> Math.max(0, other.getValue().bytes() - x.volumeBytes())).orElse(0L);
      if (more > 0 || count > 0) {
        bytes += more;
        machines += count;
        waves.add(other.getValue().wave());
      }
    }
    return new Shores.Demand(machines, bytes, waves);
  }
}
