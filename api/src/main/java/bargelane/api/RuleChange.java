package bargelane.api;

/**
 * A decision to make for a lane, or to take back.
 *
 * @param scope what it is for: card, disk, role, machine, wave, label, network, storage or lane
 * @param of whom it is for: a name or an id, a label as {@code key=value}, a role; empty for the
 *     lane
 * @param part the card or disk, from 0; left out elsewhere
 * @param setting what it decides
 * @param value empty or left out to go back to what holds without it
 */
public record RuleChange(String scope, String of, Integer part, String setting, String value) {}
