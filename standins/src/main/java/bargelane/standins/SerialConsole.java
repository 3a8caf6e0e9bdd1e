package bargelane.standins;

import bargelane.standins.Platform.Machine;

/** What a simulated guest writes to its serial console. */
final class SerialConsole {

  private SerialConsole() {}

  /** While it starts, up to its login or to a panic. */
  static String starting(Machine machine, boolean panics) {
    StringBuilder text = new StringBuilder("Simulated guest of " + machine.name() + "\n");
    for (int i = 0; i < machine.disks().size(); i++) {
      text.append("disk ").append(i).append(": ").append(machine.disks().get(i)).append('\n');
    }
    machine.nics().forEach(n -> text.append("card: ").append(n.address()).append('\n'));
    return text.append(
            panics
                ? "Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000100\n"
                : "\n" + machine.name() + " login: ")
        .toString();
  }
}
