package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.text.Counts;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
import java.util.stream.Stream;

/**
 * Places machines by a lane's rules, and lists everything that is in the way before anything moves.
 *
 * <p>Cost: a look-up of a rule for each setting of each machine, card and disk, and an address for
 * each card.
 */
public final class Preflight {

  /**
   * One machine's place, as far as it could be decided, why it is there, and what is in the way.
   */
  public record Result(
      LaneMachine of,
      Placement placement,
      List<Decided> decided,
      List<Finding> findings,
      List<CarriedDisk> carried) {
    public boolean holds() {
      return findings.stream().noneMatch(Finding::blocks);
    }

    /** The machine. */
    public MachineFacts machine() {
      return of.facts();
    }

    /** The same of a machine that is at the target, without what was to be known before. */
    public Result landed() {
      return new Result(
          of,
          placement,
          decided,
          findings.stream().filter(f -> !f.code().ofLanding()).toList(),
          carried);
    }

    /** The same, telling more. */
    private Result with(List<Finding> more, List<CarriedDisk> disks) {
      List<CarriedDisk> all = Stream.concat(carried.stream(), disks.stream()).toList();
      return new Result(
          of,
          placement.carrying(all),
          decided,
          Stream.concat(findings.stream(), more.stream()).toList(),
          all);
    }

    /** The same, with more that is found. */
    public Result finding(List<Finding> more) {
      return with(more, List.of());
    }

    /** Whether a disk of the machine is not copied. */
    public boolean leftOut(int disk) {
      return of.copied().isEmpty()
          && decided.stream()
              .anyMatch(
                  d ->
                      d.setting() == Setting.COPY
                          && d.part() == disk
                          && !d.value().equals(Rules.ON));
    }

    /** The disks of the machine that are copied. */
    public List<Inventory.Disk> copied() {
      List<Inventory.Disk> all = machine().disks();
      return IntStream.range(0, all.size()).filter(i -> !leftOut(i)).mapToObj(all::get).toList();
    }
  }

  /**
   * A decision and where it comes from.
   *
   * @param part the card or disk, from 0; {@link Rule#WHOLE} for the machine
   * @param origin whose rule it is, as {@code the network} or {@code label app=lending}; empty
   *     where no rule says it
   */
  public record Decided(Setting setting, int part, String value, String origin) {}

  private static final long GIB = 1L << 30;

  /** Waves that are named of many. */
  private static final int NAMED = 3;

  /** A replica's digests take a part of its size: 32 bytes for each 64 KiB. */
  private static final long DIGESTS = 2048;

  private final String wave;
  private final Rules rules;
  private final Shores shores;
  private final Inventory target;
  private final Joins joins;
  private final Addresses addresses;

  /**
   * @param wave name of the wave that the machines are of, for what remedies name; empty for none
   */
  public Preflight(String wave, Rules rules, Shores shores) {
    this.wave = wave;
    this.rules = rules;
    this.shores = shores;
    this.target = shores.target();
    this.joins =
        new Joins(rules, shores.lane(), shores.source(), shores.target(), shores.targetName());
    this.addresses = new Addresses(shores);
  }

  /** What copies take at the target: disks, those that several machines share once, and digests. */
  public static long bytes(List<MachineFacts> machines) {
    Map<String, Long> disks = new HashMap<>();
    machines.forEach(m -> m.disks().forEach(d -> disks.put(d.volume(), d.bytes())));
    long bytes = disks.values().stream().mapToLong(Long::longValue).sum();
    return bytes + bytes / DIGESTS;
  }

  /** Places machines that are to be at the target together. */
  public List<Result> place(List<LaneMachine> machines) {
    List<Placing> all =
        machines.stream().map(m -> new Placing(m, wave, rules, shores, joins)).toList();
    all.forEach(Placing::decide);
    // What is kept or given first, so that nothing is chosen that a later machine keeps.
    all.forEach(p -> p.addresses(addresses, true));
    all.forEach(p -> p.addresses(addresses, false));
    sameNames(all);
    sameVolumes(all);
    sharedInPart(all);
    groups(all);
    quota(all);
    return all.stream().map(Placing::result).toList();
  }

  private void quota(List<Placing> all) {
    Inventory.Quota quota = target.quota();
    int machines = Math.max(0, all.size() - shores.own().machines());
    int others = shores.others().machines();
    if (quota.machinesUsed() + machines + others > quota.machines()) {
      String cause =
          "the target's quota is "
              + Counts.of(quota.machines(), "machine")
              + ", of which "
              + quota.machinesUsed()
              + " are used; this needs "
              + machines
              + " more"
              + alongside(others == 0 ? "" : String.valueOf(others));
      all.forEach(p -> p.find(Code.QUOTA_MACHINES, cause, MORE, Who.SITE_OWNER));
    }
    long need =
        bytes(all.stream().map(p -> rules.copied(p.m)).toList()) - shores.own().volumeBytes();
    long gib = gib(Math.max(0, need));
    long othersBytes = shores.others().bytes();
    long othersGib = gib(othersBytes);
    if (quota.volumeGibUsed() + gib(Math.max(0, need) + othersBytes) > quota.volumeGib()) {
      String cause =
          "the target's quota is "
              + quota.volumeGib()
              + " GiB of volumes, of which "
              + quota.volumeGibUsed()
              + " are used; this needs "
              + gib
              + " more"
              + alongside(othersGib == 0 ? "" : othersGib + " GiB");
      all.forEach(p -> p.find(Code.QUOTA_VOLUMES, cause, MORE, Who.SITE_OWNER));
    }
  }

  private static long gib(long bytes) {
    return (bytes + GIB - 1) / GIB;
  }

  private static final Remedy MORE =
      Remedy.advice("ask the target's owner for a higher quota, or settle a wave first");

  private String alongside(String what) {
    List<String> waves = shores.others().waves();
    String named = String.join(", ", waves.subList(0, Math.min(NAMED, waves.size())));
    return what.isEmpty()
        ? ""
        : "; waves that are loaded need "
            + what
            + " more ("
            + named
            + (waves.size() > NAMED ? " and " + Counts.of(waves.size() - NAMED, "other") : "")
            + ")";
  }

  private void sameNames(List<Placing> all) {
    Map<String, Placing> first = new HashMap<>();
    for (Placing p : all) {
      Placing other = first.putIfAbsent(p.called, p);
      if (other != null) {
        p.find(
            Code.NAME_REFUSED,
            other.name + " is to be called " + p.called + " at the target, too",
            p.set("give it another name there", Setting.NAME),
            Who.ENGINEER);
      }
    }
  }

  /** Whether a disk is not copied; one that is copied already is copied on. */
  private boolean leaves(Placing p, int disk) {
    return p.m.copied().isEmpty() && rules.leftOut(p.m, disk);
  }

  /** A disk that several machines share, and that only some of them leave out. */
  private void sharedInPart(List<Placing> all) {
    if (!rules.leavesOut()) {
      return;
    }
    Map<String, Placing> copied = new HashMap<>();
    for (Placing p : all) {
      List<Inventory.Disk> disks = p.m.facts().disks();
      for (int i = 0; i < disks.size(); i++) {
        if (!leaves(p, i)) {
          copied.putIfAbsent(disks.get(i).volume(), p);
        }
      }
    }
    for (Placing p : all) {
      List<Inventory.Disk> disks = p.m.facts().disks();
      for (int i = 0; i < disks.size(); i++) {
        Placing other = copied.get(disks.get(i).volume());
        if (other != null && leaves(p, i)) {
          p.find(
              Code.DISK_LEFT_OUT,
              "disk "
                  + disks.get(i).volume()
                  + " is shared with "
                  + other.name
                  + ", for which it is copied: this machine lands without it",
              Remedy.of(
                  "decide the same for both",
                  Action.LANE_COPY_DISK,
                  shores.lane(),
                  p.name,
                  String.valueOf(i)),
              Who.ENGINEER);
        }
      }
    }
  }

  /** What arrives on one volume is one disk, which several machines may share. */
  private void sameVolumes(List<Placing> all) {
    Map<String, String> first = new HashMap<>();
    for (Placing p : all) {
      for (CarriedDisk d : p.carried) {
        String other = first.putIfAbsent(d.volume(), d.disk().volume());
        if (other != null && !other.equals(d.disk().volume())) {
          p.find(
              Code.CARRIED_UNFIT,
              "disk "
                  + d.disk().volume()
                  + " is carried by the storage system as volume "
                  + d.volume()
                  + ", and so is disk "
                  + other,
              Remedy.of(
                  "name another volume for one of them, or have it copied",
                  Action.LANE_COPY_DISK,
                  shores.lane(),
                  p.name,
                  String.valueOf(d.number())),
              Who.ENGINEER);
        }
      }
    }
  }

  /**
   * A machine's place, once its disks are copied, with what is to be known of those that are not.
   *
   * @param all the same machine with all disks that it has
   * @param left the places of those that are not copied
   */
  public Result leaving(Result copied, LaneMachine all, List<Integer> left) {
    Result told = copied;
    for (int i : left) {
      Optional<CarriedDisk> carried = rules.carried(all, i);
      told =
          told.with(
              carried
                  .map(
                      d ->
                          d.findings(
                              shores.lane(),
                              all.facts().name(),
                              copied.placement().nameOf(all.facts().name()),
                              target,
                              shores.targetName()))
                  .orElseGet(
                      () ->
                          List.of(
                              Placing.leftOut(
                                  shores.lane(),
                                  all.facts().name(),
                                  all.facts().disks().get(i),
                                  i))),
              carried.stream().toList());
    }
    return told;
  }

  private void groups(List<Placing> all) {
    for (Setting setting : List.of(Setting.APART, Setting.TOGETHER)) {
      Map<String, List<Placing>> groups = new java.util.TreeMap<>();
      all.forEach(
          p ->
              p.machine(setting)
                  .ifPresent(g -> groups.computeIfAbsent(g, x -> new ArrayList<>()).add(p)));
      groups.forEach((group, members) -> group(setting, group, members));
    }
  }

  private static void group(Setting setting, String group, List<Placing> members) {
    Map<String, Placing> zones = new HashMap<>();
    for (Placing p : members) {
      Placing other = zones.putIfAbsent(p.zone, p);
      if (setting == Setting.APART && other != null) {
        p.find(
            Code.ZONES_NOT_APART,
            "it is to be apart from "
                + other.name
                + " (group "
                + group
                + "), and both are in "
                + (p.zone.isEmpty() ? "whatever zone the platform chooses" : "zone " + p.zone),
            p.set("choose another zone for one of them", Setting.ZONE),
            Who.ENGINEER);
      }
      if (setting == Setting.TOGETHER && other == null && zones.size() > 1) {
        Placing first = members.get(0);
        p.find(
            Code.ZONES_NOT_APART,
            "it is to be together with "
                + first.name
                + " (group "
                + group
                + "), which is in "
                + (first.zone.isEmpty() ? "whatever zone the platform chooses" : first.zone),
            p.set("choose the same zone", Setting.ZONE),
            Who.ENGINEER);
      }
    }
  }
}
