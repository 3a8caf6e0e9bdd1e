package bargelane.e2e;

import bargelane.standins.guest.Ring;
import bargelane.standins.guest.Ring.Entry;
import bargelane.standins.store.DeadDisk;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;

/** What the records on the disks say of a move: that none is lost, or how much is. */
final class RingChecks {

  private final Narration tour;
  private final Harness harness;
  private final Platform cloud;
  private final List<String> machines;
  private final String home;

  RingChecks(Narration tour, Harness harness, Platform cloud, List<String> machines, String home) {
    this.tour = tour;
    this.harness = harness;
    this.cloud = cloud;
    this.machines = machines;
    this.home = home;
  }

  /**
   * Every record that was written where the machines came from is on the disks where they went, and
   * numbers go on.
   */
  void noneLost(Platform from, Platform to, String origin) throws IOException {
    for (String machine : machines) {
      List<String> old = from.disks(machine);
      List<String> fresh = to.disks(machine);
      for (int i = 0; i < old.size(); i++) {
        long last =
            Rings.newest(from.ring(old.get(i)), origin, Instant.MAX)
                .map(Entry::sequence)
                .orElse(-1L);
        List<Entry> ring = to.ring(fresh.get(i));
        long carried = Rings.newest(ring, origin, Instant.MAX).map(Entry::sequence).orElse(-2L);
        tour.check(
            machine
                + " disk "
                + i
                + ": record "
                + last
                + " was the last, "
                + carried
                + " arrived, "
                + Rings.missing(ring)
                + " missing",
            last == carried && Rings.missing(ring) == 0);
      }
    }
  }

  /**
   * What a lost source had written and the other side does not have is no more than was exposed.
   *
   * @param exposure seconds from the point's instant to the source's end
   */
  void lossWithin(String machine, int disk, String volume, double exposure) throws IOException {
    List<Entry> dead;
    try (DeadDisk d = DeadDisk.open(harness.home().resolve("estate/store"), volume)) {
      dead = Ring.open(d).read();
    }
    Entry last = dead.get(dead.size() - 1);
    Entry survived =
        Rings.newest(cloud.ring(cloud.disks(machine).get(disk)), home, Instant.MAX).orElseThrow();
    double loss = Duration.between(survived.at(), last.at()).toMillis() / 1000.0;
    double gap = Rings.longestGap(dead, home).toMillis() / 1000.0;
    tour.check(
        machine
            + " disk "
            + disk
            + ": the rings say "
            + Narration.seconds(loss)
            + " ("
            + (last.sequence() - survived.sequence())
            + " records) lost; exposed "
            + Narration.seconds(exposure)
            + ", longest gap "
            + Narration.seconds(gap),
        loss <= exposure + gap);
  }
}
