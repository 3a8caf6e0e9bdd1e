package bargelane.api;

import java.time.Instant;

/**
 * The end of what a machine wrote to its serial console while a run started it.
 *
 * @param at when it was last found changed
 * @param sign what it says of how the start goes or ended, such as {@code kernel-panic}; empty if
 *     nothing that is known
 * @param end whether nothing more is to be expected of the start
 * @param cause the same as a sentence
 * @param remedy what a person can do about it
 */
public record ConsoleView(
    String machine,
    String site,
    Instant at,
    String sign,
    boolean end,
    String cause,
    Remedy remedy,
    String text) {}
