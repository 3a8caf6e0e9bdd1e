package bargelane.service.replication;

import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.core.replication.PassKind;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.service.site.Ledger.Thing;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import bargelane.text.Sizes;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * The first step of a pass: every disk of the tow as wide as one instant reaches. The as-of of its
 * point is the service's clock just before the snapshot was asked for.
 */
final class PassSnapshot {

  private final Services services;
  private final PresentDisks disks;

  PassSnapshot(Services services) {
    this.services = services;
    this.disks = new PresentDisks(services);
  }

  private TowState state(Work w) {
    return services.db().tx(s -> TowState.load(s, w.subjectId()));
  }

  /** The tow, and what passes of it that are over have left open. */
  private record Found(TowState state, Ledger.Claimed open) {}

  /** Empty if so many other passes are on their way that this one is not to begin yet. */
  private Optional<Found> found(Session s, Work w) {
    boolean begun = w.has(PassNotes.PASS);
    if (!begun && !PassRun.urgent(w) && Passes.crowded(s, w.subjectId())) {
      return Optional.empty();
    }
    return Optional.of(
        new Found(
            TowState.load(s, w.subjectId()),
            begun
                ? new Ledger.Claimed(List.of(), List.of())
                : services.passes().exports.left(s, w.subjectId())));
  }

  /** Takes the disks of the tow, and offers the pass that ships them. */
  Outcome take(Work w) {
    Optional<Found> all = services.db().tx(s -> found(s, w));
    if (all.isEmpty()) {
      return new Outcome.Wait("waiting until other passes are through", Passes.later());
    }
    TowState found = all.get().state;
    LegEntity leg =
        found
            .leg
            .filter(l -> l.id.equals(w.input().path("leg").asText()))
            .orElseThrow(
                () ->
                    new RunFailure(
                        "leg-closed",
                        "the direction of replication has changed",
                        "nothing is to be done"));
    Side from = TowState.source(leg);
    services.passes().exports.revoke(all.get().open);
    TowState state = fit(w, found, leg, from) ? state(w) : found;
    Reach reach = state.reach(from);
    boolean firstTime = !w.has(PassNotes.PASS);
    String passId =
        w.makeOnce(
            PassNotes.PASS,
            s -> {
              PassEntity pass = begun(s, w, state, leg);
              services.ledger().record(s, w.subjectId(), things(pass.id, state, from, reach));
              w.leave(PassNotes.AS_OF, services.clock().instant());
              return pass.id;
            });
    services.custody().held(state, leg);
    SiteDriver source = services.sites().driver(state.siteId(from));
    Set<String> markers = source.source().markers();
    boolean tracked =
        !w.has(PassNotes.MARKER_LOST)
            && !leg.marker.isEmpty()
            && markers.containsAll(state.names(leg.marker, from));
    boolean blank = state.replicas.stream().allMatch(r -> r.blank);
    // All of it is to be looked at, whatever was tracked.
    tracked &= !state.replicas.stream().allMatch(r -> r.anywhere);

    Map<String, List<String>> groups = new LinkedHashMap<>();
    Map<String, String> since = new HashMap<>();
    for (MemberEntity m : state.members) {
      since.put(
          TowState.nameFor(PassRun.snapshotName(passId), reach, m),
          TowState.nameFor(leg.marker, reach, m));
      groups
          .computeIfAbsent(
              TowState.nameFor(PassRun.snapshotName(passId), reach, m), k -> new ArrayList<>())
          .addAll(TowState.berth(m, from).orElseThrow().disks());
    }
    String owner = services.ledger().owner(w.subjectId());
    Instant asOf = w.once(PassNotes.AS_OF, () -> services.clock().instant());
    if (firstTime) {
      // Nobody has asked for this snapshot yet, so its instant is not before now. The note is for
      // whoever finds the snapshot made; this is the closer figure.
      asOf = services.clock().instant();
    } else {
      services.ledger().plan(w.subjectId(), things(passId, state, from, reach));
    }
    boolean quiesce = state.timetable.quiesce;
    int atRest = 0;
    Duration held = Duration.ZERO;
    for (Map.Entry<String, List<String>> group : groups.entrySet()) {
      Source.Taken one;
      try {
        one =
            source
                .source()
                .snapshot(
                    group.getKey(),
                    owner,
                    group.getValue(),
                    tracked ? Optional.of(since.get(group.getKey())) : Optional.empty(),
                    quiesce);
      } catch (SiteException e) {
        if (e.kind() != SiteException.Kind.MARKER_LOST) {
          throw e;
        }
        tracked = false;
        w.put(PassNotes.MARKER_LOST, e.getMessage());
        one =
            source
                .source()
                .snapshot(group.getKey(), owner, group.getValue(), Optional.empty(), quiesce);
      }
      atRest += one.quiesced() ? 1 : 0;
      held = one.held().compareTo(held) > 0 ? one.held() : held;
    }
    boolean promised = reach.promisesOneInstant(state.members.size());
    w.leave(PassNotes.ONE_INSTANT, promised);
    w.leave(PassNotes.CONSISTENCY, consistency(promised, groups.size(), atRest));
    PassKind kind = PassKind.next(tracked, blank);
    Instant taken = asOf;
    long spread = promised ? 0 : Duration.between(taken, services.clock().instant()).toMillis();
    w.leave(PassNotes.SPREAD_MS, spread);
    String detail =
        kind.word()
            + " pass as of "
            + asOf.truncatedTo(ChronoUnit.SECONDS)
            + (groups.size() > 1 ? ", machines within " + spread + " ms" : "")
            + (atRest > 0 ? ", guests' writes held for at most " + held.toMillis() + " ms" : "")
            + w.get(PassNotes.MARKER_LOST)
                .map(why -> "; what changed can't be told: " + why)
                .orElse("");
    return Outcome.commitAndWait(
        s -> {
          services
              .passes()
              .offer(s, passId, pass -> fill(pass, state, leg, from, reach, kind, taken));
          return detail;
        });
  }

  /** Records the pass that this run makes. */
  private PassEntity begun(Session s, Work w, TowState state, LegEntity leg) {
    LegEntity held = s.find(LegEntity.class, leg.id, LockMode.PESSIMISTIC_WRITE);
    held.passes++;
    PassEntity pass =
        Passes.create(
            s,
            services.clock(),
            w.runId(),
            w.subjectId(),
            leg.id,
            held.passes,
            PassKind.DELTA,
            state.timetable.verify);
    pass.urgent = PassRun.urgent(w);
    return pass;
  }

  /** The snapshots that a pass takes, and the markers that begin with them. */
  private static List<Thing> things(String passId, TowState state, Side from, Reach reach) {
    return state.members.stream()
        .map(m -> TowState.nameFor(PassRun.snapshotName(passId), reach, m))
        .distinct()
        .flatMap(
            name ->
                Stream.of("snapshot", "marker")
                    .map(kind -> new Thing(state.siteId(from), kind, name)))
        .toList();
  }

  /**
   * Takes in disks that are new, gives replicas digests that have none, and lets those grow whose
   * source disks have grown. Gives whether anything was changed.
   */
  private boolean fit(Work w, TowState state, LegEntity leg, Side from) {
    boolean changed = false;
    Target target = services.sites().driver(state.siteId(from.other())).target();
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, from).orElseThrow();
      MachineFacts now =
          services.sites().driver(state.siteId(from)).compute().machine(berth.platformId());
      changed |= disks.look(w, state, leg, m, now, w.has(PassNotes.PASS));
      for (ReplicaEntity r : state.replicasOf(m)) {
        if (r.digests.isEmpty()) {
          String digests = ReplicaEntity.digestsOf(r.volume);
          target.createVolume(
              digests,
              services.ledger().plan(state.siteId(from.other()), w.subjectId(), "volume", digests),
              DigestVolume.bytesFor(r.bytes),
              r.storage,
              r.keyAt(from.other()));
          services.db().run(s -> s.find(ReplicaEntity.class, r.id).digests = digests);
          changed = true;
        }
        // 0 where the platform does not tell sizes with a single machine.
        String volume = berth.disks().get(r.disk);
        long bytes =
            now.disks().stream()
                .filter(d -> d.volume().equals(volume))
                .mapToLong(Inventory.Disk::bytes)
                .findFirst()
                .orElse(0);
        if (bytes != 0 && bytes < r.bytes) {
          throw new RunFailure(
              "disk-shrunk",
              "disk " + r.disk + " of " + m.name + " has " + bytes + " bytes and had " + r.bytes,
              "see why; if it is meant, take the machine out of the wave and plan it again");
        }
        if (bytes > r.bytes) {
          target.growVolume(ReplicaEntity.digestsOf(r.volume), DigestVolume.bytesFor(bytes));
          target.growVolume(r.volume, bytes);
          services.db().run(s -> record(s, w, m, r, volume, leg, bytes));
          changed = true;
        }
      }
    }
    return changed;
  }

  private void record(
      Session s,
      Work w,
      MemberEntity m,
      ReplicaEntity r,
      String volume,
      LegEntity leg,
      long bytes) {
    ReplicaEntity grown = s.find(ReplicaEntity.class, r.id);
    grown.bytes = bytes;
    // Its digests are of the smaller disk.
    Ranges doubt = Ranges.parse(grown.intent);
    doubt.add(r.bytes, bytes);
    grown.intent = doubt.text();
    MachineEntity machine = s.find(MachineEntity.class, m.machineId);
    machine.facts = Json.text(Json.read(machine.facts, MachineFacts.class).grown(volume, bytes));
    services
        .events()
        .tell(
            s,
            "pass",
            w.subjectId(),
            w.runId(),
            "disk "
                + r.disk
                + " of "
                + m.name
                + " has grown from "
                + Sizes.text(r.bytes)
                + " to "
                + Sizes.text(bytes)
                + ", and its replica on leg "
                + leg.number
                + " with it",
            null);
  }

  private void fill(
      PassEntity pass,
      TowState state,
      LegEntity leg,
      Side from,
      Reach reach,
      PassKind kind,
      Instant asOf) {
    pass.kind = kind;
    pass.asOf = asOf;
    List<PassDisk> disks = new ArrayList<>();
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, from).orElseThrow();
      for (ReplicaEntity r : state.replicasOf(m)) {
        disks.add(
            PassDisk.fresh(
                disks.size(),
                m.id,
                m.name,
                r.disk,
                r.id,
                new PassDisk.From(
                    state.siteId(from),
                    berth.disks().get(r.disk),
                    TowState.nameFor(PassRun.snapshotName(pass.id), reach, m),
                    kind == PassKind.DELTA ? TowState.nameFor(leg.marker, reach, m) : "",
                    ""),
                new PassDisk.To(state.siteId(from.other()), r.volume),
                new PassDisk.Digests(state.siteId(from.other()), "", r.digests),
                r.bytes));
      }
    }
    pass.disks = Json.text(disks);
  }

  /** In words: how many instants were taken, and how many of them with file systems at rest. */
  private static String consistency(boolean promised, int instants, int atRest) {
    return (promised ? "one instant" : "one instant a machine")
        + (atRest == 0
            ? ", crash-consistent"
            : atRest == instants
                ? ", file systems at rest"
                : ", file systems of " + atRest + " of " + instants + " at rest");
  }
}
