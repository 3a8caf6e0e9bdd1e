package bargelane.client.lane;

import bargelane.api.RuleChange;
import bargelane.client.Common;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Option;

/** What a decision on a lane is for; nothing chosen means the whole lane. */
final class RuleTarget {

  /** One of them. */
  static final class Chosen {
    @Option(
        names = "--machine",
        paramLabel = "MACHINE",
        description = "Decide for this machine, by name or id.")
    String machine;

    @Option(names = "--card", paramLabel = "MACHINE/N", description = "For its card N, from 0.")
    String card;

    @Option(names = "--disk", paramLabel = "MACHINE/N", description = "For its disk N, from 0.")
    String disk;

    @Option(
        names = "--role",
        paramLabel = "ROLE",
        description = "For disks of this role: system, data or log.")
    String role;

    @Option(names = "--wave", paramLabel = "WAVE", description = "For the machines of this wave.")
    String wave;

    @Option(
        names = "--label",
        paramLabel = "KEY=VALUE",
        description = "For machines with this label.")
    String label;

    @Option(
        names = "--network",
        paramLabel = "NETWORK",
        description = "For what is on this network of the source.")
    String network;

    @Option(
        names = "--storage",
        paramLabel = "STORAGE",
        description = "For what is on this storage of the source.")
    String storage;
  }

  @ArgGroup(multiplicity = "0..1")
  Chosen chosen = new Chosen();

  /**
   * A change of one setting.
   *
   * @param value empty to take it back
   * @throws Common.UsageException if a card or disk has no number
   */
  RuleChange change(String setting, String value) {
    if (chosen.machine != null) {
      return new RuleChange("machine", chosen.machine, null, setting, value);
    }
    if (chosen.card != null) {
      return part("card", chosen.card, setting, value);
    }
    if (chosen.disk != null) {
      return part("disk", chosen.disk, setting, value);
    }
    if (chosen.role != null) {
      return new RuleChange("role", chosen.role, null, setting, value);
    }
    if (chosen.wave != null) {
      return new RuleChange("wave", chosen.wave, null, setting, value);
    }
    if (chosen.label != null) {
      return new RuleChange("label", chosen.label, null, setting, value);
    }
    if (chosen.network != null) {
      return new RuleChange("network", chosen.network, null, setting, value);
    }
    return chosen.storage != null
        ? new RuleChange("storage", chosen.storage, null, setting, value)
        : new RuleChange("lane", "", null, setting, value);
  }

  private static RuleChange part(String scope, String of, String setting, String value) {
    int slash = of.lastIndexOf('/');
    if (slash < 1 || !of.substring(slash + 1).matches("[0-9]{1,4}")) {
      throw new Common.UsageException(
          "'" + of + "' is not a " + scope + ": give MACHINE/N, with N from 0");
    }
    return new RuleChange(
        scope, of.substring(0, slash), Integer.valueOf(of.substring(slash + 1)), setting, value);
  }
}
