package bargelane.service.machine;

import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.MachineDiff;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import org.hibernate.Session;

/** Writes down what one reading of a site found: machines, and fact by fact what is different. */
public final class MachineBook {

  /** What was read from inside goes before what the platform tells of the guest, for so long. */
  private static final Duration FRESH = Duration.ofDays(1);

  private final Session s;
  private final SiteEntity site;
  private final Instant now;
  private final List<ChangeEntity> changes = new ArrayList<>();

  public final List<String> appeared = new ArrayList<>();
  public final List<String> changed = new ArrayList<>();
  public final List<String> vanished = new ArrayList<>();

  public MachineBook(Session s, SiteEntity site, Instant now) {
    this.s = s;
    this.site = site;
    this.now = now;
  }

  /** A machine that was not known. */
  public MachineEntity first(MachineFacts told) {
    MachineFacts facts = told.telling(told.guest());
    MachineEntity machine = new MachineEntity();
    machine.id = Ids.next("m");
    machine.siteId = site.id;
    machine.platformId = facts.platformId();
    machine.firstSeen = now;
    machine.lastSeen = now;
    machine.name = facts.name();
    machine.facts = Json.text(facts);
    s.persist(machine);
    appeared.add(facts.name());
    tell(machine, "appeared");
    return machine;
  }

  /** A machine that was known from inside only turns up at a platform: that is its home now. */
  public void adopt(MachineEntity machine, MachineFacts told) {
    machine.siteId = site.id;
    machine.platformId = told.platformId();
    machine.vanishedAt = null;
    again(machine, told);
    appeared.add(told.name());
    tell(machine, "appeared");
  }

  /** A machine that is known. */
  public void again(MachineEntity machine, MachineFacts told) {
    MachineFacts former = Json.read(machine.facts, MachineFacts.class);
    MachineFacts facts = told.telling(newest(former.guest(), told.guest()));
    if (machine.vanishedAt != null) {
      machine.vanishedAt = null;
      appeared.add(facts.name());
      tell(machine, "returned");
    }
    if (former.equals(facts)) {
      return;
    }
    machine.name = facts.name();
    machine.facts = Json.text(facts);
    List<MachineDiff.Change> differences = MachineDiff.of(former, facts);
    if (!differences.isEmpty()) {
      changed.add(facts.name());
    }
    for (MachineDiff.Change d : differences) {
      ChangeEntity change = tell(machine, "changed");
      change.fact = d.fact();
      change.former = d.former();
      change.present = d.present();
    }
  }

  /** What a guest told once stays known while it is off or its agent away. */
  private static GuestFacts newest(GuestFacts former, GuestFacts told) {
    if (told.readAt() == null) {
      return former;
    }
    boolean fromInside = former.readAt() != null && !former.toldBy().isEmpty();
    return told.toldBy().isEmpty()
            && fromInside
            && told.readAt().isBefore(former.readAt().plus(FRESH))
        ? former
        : told;
  }

  /** A machine that is told of no more; {@code last} is when it was. */
  public void gone(MachineEntity machine, Instant last) {
    if (machine.vanishedAt == null) {
      machine.vanishedAt = now;
      machine.lastSeen = last;
      vanished.add(machine.name);
      tell(machine, "vanished");
    }
  }

  /** Whether anything was different. */
  public boolean anything() {
    return !(appeared.isEmpty() && changed.isEmpty() && vanished.isEmpty());
  }

  /** The machines first, in one go, and then what is told of them. */
  public void close() {
    s.flush();
    changes.forEach(s::persist);
    changes.clear();
  }

  private ChangeEntity tell(MachineEntity machine, String kind) {
    ChangeEntity change = new ChangeEntity();
    change.siteId = site.id;
    change.machineId = machine.id;
    change.at = now;
    change.kind = kind;
    changes.add(change);
    return change;
  }
}
