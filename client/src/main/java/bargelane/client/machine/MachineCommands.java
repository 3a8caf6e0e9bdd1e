package bargelane.client.machine;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Machines of the inventory. */
@Command(
    name = "machine",
    description = "Machines of the inventory.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListMachines.class,
      Add.class,
      Label.class,
      Show.class,
      Facts.class,
      Survey.class,
      Usage.class,
      Changes.class
    })
public final class MachineCommands {}
