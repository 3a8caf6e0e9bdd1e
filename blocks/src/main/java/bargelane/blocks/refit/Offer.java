package bargelane.blocks.refit;

import java.util.List;

/**
 * What a guest can start without and does not have, and a refit can add if the engineer wants it.
 * The way home takes it back.
 *
 * @param name one of {@link #NAMES}
 * @param what why one would want it, for a person
 */
public record Offer(String name, String what) {

  static final String SERIAL_CONSOLE = "serial-console";
  static final String TIME_SYNC = "time-sync";

  /** All that there are. */
  public static final List<String> NAMES = List.of(SERIAL_CONSOLE, TIME_SYNC);
}
