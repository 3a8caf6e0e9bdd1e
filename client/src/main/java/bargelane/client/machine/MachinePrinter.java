package bargelane.client.machine;

import bargelane.api.DiskView;
import bargelane.api.GuestView;
import bargelane.api.MachineView;
import bargelane.api.NicView;
import bargelane.api.SourceView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/** A machine for people. */
public final class MachinePrinter {

  private MachinePrinter() {}

  static long bytes(MachineView machine) {
    return machine.disks().stream().mapToLong(DiskView::bytes).sum();
  }

  static String addresses(MachineView machine) {
    return machine.nics().stream().map(NicView::address).collect(Collectors.joining(" "));
  }

  /** Whether it runs; of one that the last scan did not find, nobody knows. */
  static String power(MachineView machine) {
    if (machine.vanishedAt() != null) {
      return "vanished";
    }
    return machine.on() ? "on" : machine.fenced() ? "off, fenced" : "off";
  }

  private static String labels(MachineView machine) {
    List<String> all = new ArrayList<>();
    machine
        .labels()
        .forEach(
            (name, value) ->
                all.add(
                    name
                        + "="
                        + value
                        + (machine.ownLabels().contains(name) ? " (by hand)" : "")
                        + (machine.ruledLabels().contains(name) ? " (by a rule)" : "")));
    return String.join("  ", all);
  }

  private static String sources(MachineView machine) {
    List<String> all = new ArrayList<>();
    for (SourceView source : machine.sources()) {
      all.add(
          source.site()
              + (source.home() ? " (its home)" : "")
              + (source.seenAt() == null ? "" : " at " + Output.local(source.seenAt())));
    }
    return String.join(", ", all);
  }

  static int print(Common c, Answer<MachineView> answer) {
    MachineView m = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
      return 0;
    }
    Output.pairs(
        c.out(),
        "Machine",
        m.name() + " (" + m.id() + ", " + m.platformId() + " at " + m.site() + ")",
        "System",
        Output.plain(m.os()) + (m.firmware().isEmpty() ? "" : ", " + m.firmware()),
        "Size",
        m.cpus() + " processors, " + Output.size(m.memoryMib() << 20),
        "Power",
        power(m)
            + (m.vanishedAt() == null
                ? ""
                : ": missing since the scan of " + Output.local(m.vanishedAt())),
        "Wave",
        Output.plain(m.wave()),
        "Labels",
        labels(m),
        "Told by",
        sources(m));
    Output.rows(
        c.out(),
        Output.Form.table,
        m.disks(),
        "No disks.",
        Output.text("DISK", DiskView::volume),
        Output.bytes("SIZE", DiskView::bytes),
        Output.text("STORAGE", DiskView::storage),
        Output.text("MOUNTED AT", DiskView::mounts));
    Output.rows(
        c.out(),
        Output.Form.table,
        m.nics(),
        "No network cards.",
        Output.text("NETWORK", NicView::network),
        Output.text("ADDRESS", NicView::address),
        Output.text("MAC", NicView::mac));
    GuestView guest = m.guest();
    if (guest != null) {
      Output.pairs(
          c.out(),
          "Guest",
          guest.os()
              + ", kernel "
              + guest.kernel()
              + ", calls itself "
              + guest.hostname()
              + "; read at "
              + Output.local(guest.readAt()));
      Output.rows(
          c.out(),
          Output.Form.table,
          guest.fileSystems(),
          "No file systems.",
          Output.text("MOUNT", GuestView.MountView::mount),
          Output.text("TYPE", GuestView.MountView::type),
          Output.bytes("SIZE", GuestView.MountView::bytes),
          Output.bytes("USED", GuestView.MountView::used));
    }
    return 0;
  }
}
