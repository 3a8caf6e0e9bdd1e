package bargelane.service.move;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.CarriedDisk;
import bargelane.core.lane.Preflight;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.plan.Plans;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Notes;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.Target;
import bargelane.text.Durations;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Disks that a storage system carries between the sites, beside those that are copied here: a
 * machine lands with what has arrived of them in their places. They are never written, owned or
 * removed here; a test has clones of them.
 *
 * <p>Cost: a question to the platform for each such disk, and nothing where there is none.
 */
final class Carrying {

  private final Services services;
  private final Moves moves;

  Carrying(Services services, Moves moves) {
    this.services = services;
    this.moves = moves;
  }

  /**
   * The disks that arrive at a side, by member, as it was decided when the run first asked: a lane
   * that is changed meanwhile counts from the next run on.
   */
  Map<String, List<CarriedDisk>> arriving(Work w, Side side) {
    return w.once(
        MoveNotes.CARRIED,
        () -> {
          TowState state = moves.state(w);
          return side == Side.AWAY ? decided(state) : back(state);
        });
  }

  private Map<String, List<CarriedDisk>> decided(TowState state) {
    if (state.members.stream().allMatch(m -> leftOut(m).isEmpty())) {
      return Map.of();
    }
    List<Preflight.Result> places = services.db().tx(s -> Plans.place(s, state));
    Map<String, List<CarriedDisk>> all = new LinkedHashMap<>();
    for (int i = 0; i < places.size(); i++) {
      if (!places.get(i).carried().isEmpty()) {
        all.put(state.members.get(i).id, places.get(i).carried());
      }
    }
    return all;
  }

  private static List<String> leftOut(MemberEntity m) {
    return TowState.berth(m, Side.HOME).map(Berth::leftOut).orElse(List.of());
  }

  /** What a machine landed with comes back to the volumes that it was carried from. */
  private Map<String, List<CarriedDisk>> back(TowState state) {
    Map<String, List<CarriedDisk>> all = new LinkedHashMap<>();
    Map<String, Duration> within = Map.of();
    for (MemberEntity m : state.members) {
      Map<String, String> landed =
          TowState.berth(m, Side.AWAY).map(Berth::carried).orElse(Map.of());
      if (landed.isEmpty()) {
        continue;
      }
      if (within.isEmpty()) {
        within = services.db().tx(s -> Plans.carriedWithin(s, state));
      }
      Duration apart = within.get(m.id);
      List<String> order = TowState.berth(m, Side.HOME).map(Berth::all).orElse(List.of());
      Map<String, Disk> told = new HashMap<>();
      state.toldOf(m).disks().forEach(d -> told.put(d.volume(), d));
      all.put(
          m.id,
          landed.keySet().stream()
              .map(v -> told.getOrDefault(v, new Disk(v, 0, "")))
              .map(d -> new CarriedDisk(order.indexOf(d.volume()), d, d.volume(), apart))
              .toList());
    }
    return all;
  }

  /** What arrives of a member's disks, by the volume that each is at the source. */
  static Map<String, String> volumes(Work w, MemberEntity m) {
    Map<String, String> volumes = new LinkedHashMap<>();
    w.notes()
        .get(MoveNotes.CARRIED, m.id)
        .orElse(List.of())
        .forEach(d -> volumes.put(d.disk().volume(), d.volume()));
    return volumes;
  }

  private interface Each {
    /**
     * @param wrong why what arrives can't be the machine's disk
     */
    void look(
        MemberEntity m, CarriedDisk disk, Optional<CarriedVolume> there, Optional<String> wrong);
  }

  private void each(Work w, Side side, Each each) {
    TowState state = moves.state(w);
    String site = state.site(side).name;
    Map<String, List<CarriedDisk>> arriving = arriving(w, side);
    for (MemberEntity m : state.members) {
      List<CarriedDisk> disks = arriving.getOrDefault(m.id, List.of());
      if (disks.isEmpty()) {
        continue;
      }
      Optional<MachineFacts> stands =
          TowState.berth(m, side).map(b -> moves.compute(state, side).machine(b.platformId()));
      Target target = moves.driver(state, side).target();
      for (CarriedDisk d : disks) {
        Optional<CarriedVolume> there = target.carried(d.volume());
        Optional<String> wrong = d.unfit(there, site, stands.map(MachineFacts::name).orElse(""));
        each.look(m, d, there, wrong.or(() -> detached(side, d, stands)));
      }
    }
  }

  /** A machine comes back to the disks that it has at its source: nobody attaches them again. */
  private static Optional<String> detached(
      Side side, CarriedDisk d, Optional<MachineFacts> stands) {
    return stands
        .filter(f -> side == Side.HOME)
        .filter(f -> f.disks().stream().noneMatch(x -> x.volume().equals(d.volume())))
        .map(f -> d.volume() + " is no disk of " + f.name() + " any more: attach it again");
  }

  /**
   * Fails where what arrives at a side can't be a disk of its machine, or does not come to hold
   * what the machine writes last.
   */
  void fit(Work w, Side side) {
    whole(w, side);
    String site = moves.state(w).site(side).name;
    each(
        w,
        side,
        (m, disk, there, wrong) ->
            disk.atRest(there.orElseThrow(), site)
                .ifPresent(
                    why -> {
                      throw new RunFailure(
                          Code.CARRIED_UNFIT.text(),
                          m.name + ": disk " + disk.disk().volume() + " is carried, and " + why,
                          side == Side.AWAY
                              ? "have the storage system carry on, or fail over with the volume as"
                                  + " it is; no machine was stopped"
                              : "have the storage system carry on; no machine was stopped");
                    }));
  }

  /** Fails where what arrives at a side can't be a disk of its machine. */
  private void whole(Work w, Side side) {
    Map<String, String> first = new HashMap<>();
    for (CarriedDisk d : arriving(w, side).values().stream().flatMap(List::stream).toList()) {
      String other = first.putIfAbsent(d.volume(), d.disk().volume());
      if (other != null && !other.equals(d.disk().volume())) {
        throw new RunFailure(
            Code.CARRIED_UNFIT.text(),
            "volume " + d.volume() + " is to be both disk " + other + " and " + d.disk().volume(),
            "name another volume for one of them on the lane; no machine was stopped");
      }
    }
    each(
        w,
        side,
        (m, disk, there, wrong) ->
            wrong.ifPresent(
                why -> {
                  throw new RunFailure(
                      (there.isEmpty() ? Code.CARRIED_MISSING : Code.CARRIED_UNFIT).text(),
                      m.name
                          + ": disk "
                          + disk.disk().volume()
                          + " is carried by the storage system, and "
                          + why,
                      "see to it in the storage system; no machine was stopped");
                }));
  }

  /** Fails where what has arrived is of another instant than a point, by more than is allowed. */
  void near(Work w, Side side, PointEntity point) {
    whole(w, side);
    each(
        w,
        side,
        (m, disk, there, wrong) -> {
          Instant asOf = there.orElseThrow().asOf();
          Duration apart = CarriedDisk.apart(asOf, point.asOf);
          if (apart.compareTo(disk.within()) > 0) {
            throw new RunFailure(
                Code.CARRIED_BEHIND.text(),
                m.name
                    + ": carried disk "
                    + disk.volume()
                    + " is as of "
                    + asOf.truncatedTo(ChronoUnit.SECONDS)
                    + ", and the copied ones in point "
                    + point.number
                    + " are as of "
                    + point.asOf.truncatedTo(ChronoUnit.SECONDS)
                    + ": "
                    + Durations.text(apart.truncatedTo(ChronoUnit.SECONDS))
                    + " apart, where "
                    + Durations.text(disk.within())
                    + " are allowed",
                Remedy.of(
                    "choose the point that is nearest to it, have the storage system carry more"
                        + " often, or allow more",
                    Action.LANE_SET,
                    moves.state(w).lane.name,
                    m.name,
                    Setting.CARRIED_WITHIN.word()));
          }
          w.put(MoveNotes.ARRIVED, disk.volume(), asOf);
        });
  }

  /**
   * Waits until what is carried has arrived as it was when the machines were off. The clocks of the
   * sites may differ a little: so much later it has to be.
   */
  Outcome arrived(Work w, Side side) {
    if (arriving(w, side).isEmpty()) {
      return Outcome.done("no disk is carried");
    }
    Instant from =
        w.once(MoveNotes.OFF_AT, () -> services.clock().instant()).plus(CarriedDisk.CLOCKS);
    List<String> waiting = new ArrayList<>();
    each(
        w,
        side,
        (m, disk, there, wrong) -> {
          if (wrong.isPresent()) {
            waiting.add(m.name + ": " + wrong.get());
          } else if (there.orElseThrow().asOf().isBefore(from)) {
            waiting.add(
                m.name
                    + ": carried disk "
                    + disk.volume()
                    + " is as of "
                    + there.get().asOf().truncatedTo(ChronoUnit.SECONDS)
                    + "; the storage system has to carry it up to "
                    + from.plusMillis(999).truncatedTo(ChronoUnit.SECONDS)
                    + (there.get().ended() ? ", and has stopped" : ""));
          } else {
            w.put(MoveNotes.ARRIVED, disk.volume(), there.get().asOf());
          }
        });
    return waiting.isEmpty()
        ? Outcome.done("as of when the machines were off, or later")
        : Outcome.waitFor(String.join("; ", waiting));
  }

  /**
   * Fails where a machine would be started with disks of two instants: what it ran with before a
   * landing has been written by the storage system since.
   *
   * @param side where the machines would be started again
   * @param landing what the landing noted
   */
  void untouched(Work w, Side side, Notes landing) {
    Optional<Instant> off = landing.get(MoveNotes.OFF_AT);
    TowState state = moves.state(w);
    for (MemberEntity m : off.isEmpty() ? List.<MemberEntity>of() : state.members) {
      Map<String, String> carried =
          TowState.berth(m, Side.AWAY).map(Berth::carried).orElse(Map.of());
      for (Map.Entry<String, String> disk : carried.entrySet()) {
        String volume = side == Side.HOME ? disk.getKey() : disk.getValue();
        Instant asOf =
            moves
                .driver(state, side)
                .target()
                .carried(volume)
                .map(CarriedVolume::asOf)
                .orElse(Instant.MIN);
        if (asOf.isAfter(off.get().plus(CarriedDisk.CLOCKS))) {
          throw new RunFailure(
              "carried-since",
              m.name
                  + ": the storage system has carried disk "
                  + volume
                  + " to "
                  + state.site(side).name
                  + " since the machine was stopped there; its other disks are as they were then",
              side == Side.HOME
                  ? Remedy.of("fail back instead", Action.WAVE_FAILBACK, state.tow.name)
                  : Remedy.of("cut over instead", Action.WAVE_CUTOVER, state.tow.name));
        }
      }
    }
  }

  private static String point(Work w) {
    return "bl-" + w.runId() + "-carried";
  }

  /** Makes clones of what has arrived, for a test. */
  void copy(Work w, Side side) {
    TowState state = moves.state(w);
    Map<String, List<CarriedDisk>> arriving = arriving(w, side);
    if (arriving.isEmpty()) {
      return;
    }
    Target target = moves.driver(state, side).target();
    List<String> volumes =
        arriving.values().stream()
            .flatMap(List::stream)
            .map(CarriedDisk::volume)
            .distinct()
            .toList();
    target.freeze(
        point(w),
        services.ledger().plan(state.siteId(side), w.subjectId(), "point", point(w)),
        volumes);
    each(
        w,
        side,
        (m, disk, there, wrong) -> {
          String name = VolumeNames.carried(w.runId(), m, disk.number());
          String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "volume", name);
          String storage = there.map(CarriedVolume::storage).orElse("");
          target.cloneVolume(name, owner, storage, point(w), disk.volume());
        });
  }

  /** The clones of a member's carried disks in a test, by the volume that each is at the source. */
  static Map<String, String> copies(Work w, MemberEntity m) {
    Map<String, String> copies = new LinkedHashMap<>();
    w.notes()
        .get(MoveNotes.CARRIED, m.id)
        .orElse(List.of())
        .forEach(d -> copies.put(d.disk().volume(), VolumeNames.carried(w.runId(), m, d.number())));
    return copies;
  }

  /** Removes the clones of a test. */
  void dropCopies(Work w, Side side) {
    TowState state = moves.state(w);
    String site = state.siteId(side);
    for (MemberEntity m : state.members) {
      copies(w, m).values().forEach(v -> services.ledger().remove(site, "volume", v));
    }
    if (!w.get(MoveNotes.CARRIED).orElse(Map.of()).isEmpty()) {
      services.ledger().remove(site, "point", point(w));
    }
  }

  /**
   * What a machine has with its carried disks, each behind the one that it follows at the source.
   *
   * @param volumes what it has without them
   * @param source its volumes at the source, in their order
   * @param copies what each of them is here that is copied
   * @param carried what each of them is here that is carried
   */
  static List<String> with(
      List<String> volumes,
      List<String> source,
      Map<String, String> copies,
      Map<String, String> carried) {
    List<String> all = new ArrayList<>(volumes);
    int behind = -1;
    for (String volume : source) {
      String here = carried.getOrDefault(volume, copies.get(volume));
      int at = here == null ? -1 : all.indexOf(here);
      if (at >= 0) {
        behind = at;
      } else if (carried.containsKey(volume)) {
        behind++;
        all.add(behind, here);
      }
    }
    return all;
  }

  /** For a dossier: what was carried, with the instant that it was of, and what was left out. */
  void tell(Work w, Map<String, Object> record) {
    List<String> left = new ArrayList<>();
    for (MemberEntity m : moves.state(w).members) {
      Map<String, String> carried =
          new LinkedHashMap<>(TowState.berth(m, Side.AWAY).map(Berth::carried).orElse(Map.of()));
      carried.putAll(volumes(w, m));
      leftOut(m).stream()
          .filter(v -> !carried.containsKey(v))
          .forEach(v -> left.add(m.name + "/" + v));
    }
    if (!left.isEmpty()) {
      record.put("leftOut", left);
    }
    Map<String, Instant> arrived = w.get(MoveNotes.ARRIVED).orElse(Map.of());
    if (!arrived.isEmpty()) {
      Map<String, String> told = new LinkedHashMap<>();
      arrived.forEach((volume, asOf) -> told.put(volume, asOf.toString()));
      record.put("carriedAsOf", told);
    }
  }
}
