package bargelane.api;

/**
 * One decision of a lane.
 *
 * @param scope what it is for: card, disk, role, machine, wave, label, network, storage or lane
 * @param of whom it is for: an id, a label as {@code key=value}, a role; empty for the lane
 * @param name of the machine, wave, network or storage; otherwise as {@code of}
 * @param part the card or disk, from 0; -1 elsewhere
 * @param setting what it decides
 */
public record RuleView(
    String scope, String of, String name, int part, String setting, String value) {}
