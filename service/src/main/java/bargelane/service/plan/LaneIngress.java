package bargelane.service.plan;

import bargelane.api.IngressView;
import bargelane.api.IngressView.EvidenceView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.IngressRules;
import bargelane.core.lane.IngressRules.Seen;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Preflight.Decided;
import bargelane.core.lane.Setting;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.connection.AddressClients;
import bargelane.text.Counts;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Who was seen to connect to a lane's machines, held against what lets in at the target: whoever
 * comes from another address after the move is looked up by that one too.
 */
final class LaneIngress {

  private static final int EXAMPLES = 5;

  private final LanePlans.Plan plan;

  /** The address that takes an address's place, of all machines of the lane. */
  private final Map<String, String> next = new HashMap<>();

  /** What was seen, by the machine's id. */
  private final Map<String, List<Seen>> seen = new HashMap<>();

  /**
   * Reads what was seen.
   *
   * @param machines those that are asked about
   */
  LaneIngress(Session s, LanePlans.Plan plan, Collection<LanePlans.Placed> machines) {
    this.plan = plan;
    for (LanePlans.Placed p : plan.machines()) {
      List<Nic> nics = p.result().machine().nics();
      for (int i = 0; i < nics.size(); i++) {
        PlacedNic to = p.result().placement().nics().get(i);
        if (!to.kept() && !to.address().isEmpty()) {
          String address = to.address();
          Address.canonical(nics.get(i).address()).ifPresent(a -> next.putIfAbsent(a, address));
        }
      }
    }
    Map<String, String> whose = new HashMap<>();
    for (LanePlans.Placed p : machines) {
      p.result()
          .machine()
          .nics()
          .forEach(
              n ->
                  Address.canonical(n.address())
                      .ifPresent(a -> whose.putIfAbsent(a, p.result().of().id())));
    }
    for (AddressClients.Client c : AddressClients.all(s, whose.keySet())) {
      seen.computeIfAbsent(whose.get(c.address()), id -> new ArrayList<>())
          .add(
              new Seen(
                  c.protocol(),
                  c.port(),
                  c.client(),
                  next.getOrDefault(c.client(), ""),
                  c.count()));
    }
  }

  private List<Seen> of(LanePlans.Placed p) {
    return seen.getOrDefault(p.result().of().id(), List.of());
  }

  private static List<Ingress> rules(LanePlans.Placed p) {
    return p.result().placement().ingressOf(p.result().machine().ingress());
  }

  /** A finding if somebody is cut. */
  Optional<Finding> finding(LanePlans.Placed p) {
    List<Seen> cut = IngressRules.cut(rules(p), of(p));
    if (cut.isEmpty()) {
      return Optional.empty();
    }
    String name = p.result().machine().name();
    return Optional.of(
        new Finding(
            Code.PORT_CLOSED,
            name,
            Counts.of(cut.stream().map(Seen::client).distinct().count(), "client")
                + " that it was seen to serve can't reach it at the target: "
                + String.join(", ", examples(cut)),
            Remedy.of("see what is proposed", Action.LANE_INGRESS, plan.lane().name, name),
            Who.ENGINEER));
  }

  private static List<String> examples(List<Seen> cut) {
    return cut.stream()
        .limit(EXAMPLES)
        .map(
            c ->
                c.client()
                    + (c.next().isEmpty() ? "" : " (to be " + c.next() + ")")
                    + " at "
                    + c.protocol()
                    + "/"
                    + c.port())
        .toList();
  }

  /** What is proposed for a machine; none where nothing was seen and nothing is let in. */
  Optional<IngressView> view(LanePlans.Placed p) {
    List<Seen> all = of(p);
    List<Ingress> rules = rules(p);
    if (all.isEmpty() && rules.isEmpty()) {
      return Optional.empty();
    }
    List<Ingress> proposed = IngressRules.smallest(all, rules, plan.networks());
    Map<Ingress, EvidenceView> evidence = new LinkedHashMap<>();
    for (Ingress r : proposed) {
      List<Seen> by =
          all.stream()
              .filter(
                  x ->
                      IngressRules.lets(List.of(r), x.protocol(), x.port(), x.client())
                          || !x.next().isEmpty()
                              && IngressRules.lets(List.of(r), x.protocol(), x.port(), x.next()))
              .toList();
      evidence.put(
          r,
          new EvidenceView(
              IngressRules.text(r),
              by.stream().map(Seen::client).distinct().count(),
              by.stream().mapToLong(Seen::count).sum(),
              IngressRules.cut(rules, by).isEmpty()));
    }
    List<String> unused =
        rules.stream()
            .filter(
                r ->
                    all.stream()
                        .noneMatch(
                            x -> IngressRules.lets(List.of(r), x.protocol(), x.port(), x.client())))
            .map(IngressRules::text)
            .toList();
    List<Seen> cut = IngressRules.cut(rules, all);
    return Optional.of(
        new IngressView(
            p.result().of().id(),
            p.result().machine().name(),
            p.wave(),
            IngressRules.text(rules),
            p.result().decided().stream()
                .filter(d -> d.setting() == Setting.INGRESS)
                .map(Decided::origin)
                .findFirst()
                .orElse(""),
            IngressRules.text(proposed),
            List.copyOf(evidence.values()),
            unused,
            cut.stream().map(Seen::client).distinct().count(),
            examples(cut)));
  }

  /** Ranges of networks, for proposals. */
  static List<Subnet> ranges(
      Collection<bargelane.core.site.Inventory.Network> source,
      Collection<bargelane.core.site.Inventory.Network> target) {
    List<Subnet> all = new ArrayList<>();
    source.forEach(n -> Subnet.of(n.cidr()).ifPresent(all::add));
    target.forEach(n -> Subnet.of(n.cidr()).ifPresent(all::add));
    return all;
  }
}
