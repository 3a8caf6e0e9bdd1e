package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Shores.Held;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Gives cards their addresses at the target, none to two. What a card has been given already stays
 * while it is good; a new one is the lowest that is free, that the platform does not keep for
 * itself and that no machine of the source has.
 *
 * <p>Cost: as many look-ups a card as addresses before it are taken, at most.
 */
final class Addresses {

  /** Whose card. */
  private record Card(String machine, int card) {}

  private final String lane;
  private final Map<String, Network> subnets = new HashMap<>();

  /** Addresses that are used or given, in canonical form, by subnet. */
  private final Map<String, Map<String, Card>> taken = new HashMap<>();

  /**
   * What is chosen for nobody besides: the platform's own, and what machines of the source have.
   */
  private final Map<String, Set<String>> avoided = new HashMap<>();

  private final Set<String> atSource = new HashSet<>();
  private final Map<Card, Held> held = new HashMap<>();

  /** The first address of a subnet, or of a pool in it, that may be free. */
  private final Map<String, String> lowest = new HashMap<>();

  private final Map<String, Optional<Subnet>> ranges = new HashMap<>();

  private static final Card SOMEBODY = new Card("", 0);

  Addresses(Shores shores) {
    this.lane = shores.lane();
    shores.target().networks().forEach(n -> subnets.put(n.id(), n));
    for (Nic n : shores.used()) {
      Address.canonical(n.address()).ifPresent(a -> of(n.network()).put(a, SOMEBODY));
    }
    shores.atSource().forEach(n -> Address.canonical(n.address()).ifPresent(atSource::add));
    for (Held h : shores.held()) {
      Card card = new Card(h.machine(), h.card());
      held.put(card, h);
      of(h.network()).putIfAbsent(h.address(), card);
    }
  }

  private Map<String, Card> of(String subnet) {
    return taken.computeIfAbsent(subnet, n -> new HashMap<>());
  }

  private Optional<Subnet> range(Network subnet) {
    return ranges.computeIfAbsent(subnet.cidr(), Subnet::of);
  }

  private Set<String> avoided(Network subnet, Subnet range) {
    return avoided.computeIfAbsent(
        subnet.id(),
        n -> {
          Set<String> all = new HashSet<>(subnet.reserved());
          atSource.stream().filter(range::contains).forEach(all::add);
          return all;
        });
  }

  /** Whether an address was nobody else's and is this card's now. */
  private boolean take(Network subnet, String address, Card card) {
    Card by = of(subnet.id()).putIfAbsent(address, card);
    return by == null || by.equals(card);
  }

  /**
   * Takes what a card keeps or is given, so that none is chosen that another card keeps.
   *
   * @return whether nothing is left to choose for it
   */
  boolean fixed(AddressRule rule, Nic nic, Network subnet) {
    return switch (rule.how()) {
      case GIVEN, KEEP, PLATFORM -> true;
      case KEEP_OR_CHOOSE -> keeps(nic, subnet);
      case CHOOSE, POOL -> false;
    };
  }

  private boolean keeps(Nic nic, Network subnet) {
    return Address.valid(nic.address())
        && range(subnet).map(r -> r.contains(nic.address())).orElse(true);
  }

  /** Places a card. */
  PlacedNic place(
      LaneMachine m, int card, Network subnet, AddressRule rule, String thing, List<Finding> into) {
    Nic nic = m.facts().nics().get(card);
    Optional<Subnet> range = range(subnet);
    // Machines that are not known here are told apart by their platform's identity.
    Card own = new Card(m.id().isEmpty() ? m.facts().platformId() : m.id(), card);
    String address =
        switch (rule.how()) {
          case PLATFORM -> "";
          case GIVEN -> given(m, rule.from(), subnet, range, own, thing, into);
          case KEEP -> {
            if (!keeps(nic, subnet)) {
              outside(nic, subnet, thing, into);
            }
            yield kept(m, nic, subnet, range, own, thing, into);
          }
          case KEEP_OR_CHOOSE ->
              keeps(nic, subnet)
                  ? kept(m, nic, subnet, range, own, thing, into)
                  : chosen(m, rule, subnet, range, own, thing, into);
          case CHOOSE, POOL -> chosen(m, rule, subnet, range, own, thing, into);
        };
    boolean kept =
        !address.isEmpty() && Address.canonical(nic.address()).equals(Address.canonical(address));
    return new PlacedNic(subnet.id(), kept ? nic.address() : address, kept, nic.mac());
  }

  private void outside(Nic nic, Network subnet, String thing, List<Finding> into) {
    into.add(
        new Finding(
            Code.ADDRESS_OUTSIDE_SUBNET,
            thing,
            nic.address().isEmpty()
                ? "the address that is to be kept is not known"
                : nic.address()
                    + " is to be kept and lies outside subnet "
                    + subnet.id()
                    + " ("
                    + subnet.cidr()
                    + ")",
            "choose a subnet that holds it, or another rule for its address",
            Who.ENGINEER));
  }

  private String kept(
      LaneMachine m,
      Nic nic,
      Network subnet,
      Optional<Subnet> range,
      Card own,
      String thing,
      List<Finding> into) {
    if (range.isEmpty()) {
      into.add(unknown(subnet, thing, nic.address() + " is good there"));
    }
    String address = Address.canonical(nic.address()).orElse(nic.address());
    if (subnet.reserved().contains(address)) {
      into.add(reserved(m, subnet, address, thing));
    } else if (!address.isEmpty() && !take(subnet, address, own)) {
      into.add(taken(subnet, thing, "free it there, or choose another address for the card"));
    }
    return nic.address();
  }

  private String given(
      LaneMachine m,
      String address,
      Network subnet,
      Optional<Subnet> range,
      Card own,
      String thing,
      List<Finding> into) {
    if (range.isPresent() && !range.get().gives(address)) {
      into.add(
          new Finding(
              Code.ADDRESS_OUTSIDE_SUBNET,
              thing,
              address
                  + " is set for the card, and subnet "
                  + subnet.id()
                  + " ("
                  + subnet.cidr()
                  + ") does not give it out",
              "choose an address of it",
              Who.ENGINEER));
    } else if (subnet.reserved().contains(address)) {
      into.add(reserved(m, subnet, address, thing));
    } else if (!take(subnet, address, own)) {
      into.add(taken(subnet, thing + ", to be " + address, "choose another one"));
    }
    return address;
  }

  private String chosen(
      LaneMachine m,
      AddressRule rule,
      Network subnet,
      Optional<Subnet> range,
      Card own,
      String thing,
      List<Finding> into) {
    if (range.isEmpty()) {
      into.add(unknown(subnet, thing, "the guest gets an address there"));
      return "";
    }
    Held before = held.get(own);
    if (before != null && good(before.address(), rule, subnet, range.get(), own)) {
      return before.address();
    }
    Map<String, Card> used = of(subnet.id());
    Set<String> not = avoided(subnet, range.get());
    boolean pool = rule.how() == AddressRule.How.POOL;
    String part = subnet.id() + " " + rule.from() + " " + rule.to();
    Optional<String> free =
        range
            .get()
            .free(
                lowest.getOrDefault(part, rule.from()),
                rule.to(),
                a -> used.containsKey(a) || not.contains(a));
    // What was looked at is taken for good, so the next card goes on from here.
    free.ifPresent(a -> lowest.put(part, a));
    if (free.isEmpty()) {
      into.add(
          new Finding(
              Code.SUBNET_FULL,
              thing,
              (pool ? "pool " + rule.text() + " in subnet " : "subnet ")
                  + subnet.id()
                  + " ("
                  + subnet.cidr()
                  + ") has no free address",
              Remedy.of(
                  "choose a larger subnet, or free an address there",
                  Action.LANE_SUBNET,
                  lane,
                  m.facts().name()),
              Who.ENGINEER));
      return "";
    }
    take(subnet, free.get(), own);
    return free.get();
  }

  private boolean good(String address, AddressRule rule, Network subnet, Subnet range, Card own) {
    return held.get(own).network().equals(subnet.id())
        && range.contains(address)
        && !subnet.reserved().contains(address)
        && own.equals(of(subnet.id()).get(address))
        && (rule.how() != AddressRule.How.POOL
            || Address.upTo(rule.from(), address) && Address.upTo(address, rule.to()));
  }

  private static Finding unknown(Network subnet, String thing, String see) {
    return new Finding(
        Code.SUBNET_RANGE_UNKNOWN,
        thing,
        "the platform gives no range for subnet "
            + subnet.id()
            + ": whether an address fits there can't be checked, and none can be chosen",
        "see that " + see,
        Who.ENGINEER);
  }

  private static Finding taken(Network subnet, String thing, String advice) {
    return new Finding(
        Code.ADDRESS_TAKEN,
        thing,
        "the address is used by another machine in subnet " + subnet.id(),
        advice,
        Who.ENGINEER);
  }

  private Finding reserved(LaneMachine m, Network subnet, String address, String thing) {
    return new Finding(
        Code.ADDRESS_RESERVED,
        thing,
        "the platform keeps " + address + " of subnet " + subnet.id() + " for itself",
        Remedy.of(
            "have another one chosen",
            Action.LANE_SET,
            lane,
            m.facts().name(),
            Setting.ADDRESS.word(),
            AddressRule.How.CHOOSE.word()),
        Who.ENGINEER);
  }
}
