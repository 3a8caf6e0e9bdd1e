package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.text.Durations;
import bargelane.text.Sizes;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A disk that a storage system carries to the target, where the machine lands with the volume that
 * arrives there in the disk's place.
 *
 * @param number its place among all disks that the machine has at its source, from 0
 * @param disk as it is at the source
 * @param volume what the target calls what arrives
 * @param within how far its instant may be from that of the copied disks, in a test or a failover
 */
public record CarriedDisk(int number, Inventory.Disk disk, String volume, Duration within) {

  /** What is allowed unless it is decided. */
  public static final Duration USUAL = Duration.ofMinutes(15);

  /** What the clocks of two sites may differ by, as the check of a site allows. */
  public static final Duration CLOCKS = Duration.ofSeconds(2);

  /**
   * What is to be known of it beforehand, by what the target told when it was scanned last.
   *
   * @param machine its name at the source
   * @param called its name at the target
   */
  List<Finding> findings(
      String lane, String machine, String called, Inventory target, String targetName) {
    String itself = "disk " + disk.volume() + " (" + Sizes.text(disk.bytes()) + ")";
    Optional<CarriedVolume> arrives = target.carriedVolume(volume);
    Optional<String> wrong = unfit(arrives, targetName, called);
    List<Finding> all = new ArrayList<>();
    if (wrong.isPresent()) {
      all.add(
          new Finding(
              arrives.isEmpty() ? Code.CARRIED_MISSING : Code.CARRIED_UNFIT,
              machine,
              itself + " is carried by the storage system, and " + wrong.get(),
              Remedy.of(
                  "see to it in the storage system and scan the target, name another volume, or have"
                      + " the disk copied",
                  Action.LANE_COPY_DISK,
                  lane,
                  machine,
                  String.valueOf(number)),
              Who.SITE_OWNER));
      return all;
    }
    all.add(
        new Finding(
            Code.DISK_CARRIED,
            machine,
            itself
                + " is carried by the storage system: the machine lands with "
                + volume
                + " as its disk "
                + number
                + ", which is as of "
                + arrives.get().asOf().truncatedTo(ChronoUnit.SECONDS)
                + (arrives.get().ended() ? "; the storage system no longer fills it" : ""),
            Remedy.advice(
                arrives.get().ended()
                    ? "fail over with it as it is, or have the storage system carry on before a cutover"
                    : "have the storage system carry on until the machine has landed; a cutover waits"
                        + " for it"),
            Who.SITE_OWNER));
    Duration behind = Duration.between(arrives.get().asOf(), arrives.get().seenAt());
    if (behind.compareTo(within) > 0) {
      all.add(
          new Finding(
              Code.CARRIED_BEHIND,
              machine,
              "carried disk "
                  + volume
                  + " was "
                  + Durations.text(behind.truncatedTo(ChronoUnit.SECONDS))
                  + " behind when "
                  + targetName
                  + " was scanned, and "
                  + Durations.text(within)
                  + " are allowed: its instant differs from that of the copied disks",
              Remedy.of(
                  "have the storage system carry more often and scan the target, or allow more",
                  Action.LANE_SET,
                  lane,
                  machine,
                  Setting.CARRIED_WITHIN.word()),
              Who.SITE_OWNER));
    }
    return all;
  }

  /**
   * Why a machine can't have what arrives as its disk.
   *
   * @param arrives what the target tells of it; none if it tells of no such volume
   * @param called the machine's name at the target
   */
  public Optional<String> unfit(Optional<CarriedVolume> arrives, String target, String called) {
    if (arrives.isEmpty()) {
      return Optional.of(target + " tells of no volume " + volume + " that a storage system fills");
    }
    CarriedVolume there = arrives.get();
    if (there.asOf() == null) {
      return Optional.of(volume + " of " + target + " holds no whole disk yet");
    }
    if (there.asOf().isAfter(there.seenAt().plus(CLOCKS))) {
      return Optional.of(
          volume
              + " of "
              + target
              + " is told as of "
              + there.asOf().truncatedTo(ChronoUnit.SECONDS)
              + ", which is still to come: the storage system's clock is ahead");
    }
    if (there.bytes() < disk.bytes()) {
      return Optional.of(
          volume + " of " + target + " has " + Sizes.text(there.bytes()) + ", less than the disk");
    }
    if (!there.machine().isEmpty() && !there.machine().equals(called)) {
      return Optional.of(volume + " of " + target + " is a disk of " + there.machine());
    }
    return Optional.empty();
  }

  /** Why what arrives does not come to hold what the machine writes last; none if it may. */
  public Optional<String> atRest(CarriedVolume there, String target) {
    return there.ended()
        ? Optional.of(
            "the storage system has stopped filling "
                + volume
                + " of "
                + target
                + ", which is as of "
                + there.asOf().truncatedTo(ChronoUnit.SECONDS))
        : Optional.empty();
  }

  /** How far apart two instants are. */
  public static Duration apart(Instant one, Instant other) {
    return Duration.between(one, other).abs();
  }
}
