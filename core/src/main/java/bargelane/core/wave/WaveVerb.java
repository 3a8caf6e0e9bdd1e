package bargelane.core.wave;

import bargelane.core.word.Worded;

/**
 * What can be asked of a wave; each begins a run of that kind, but for {@link #PAUSE} and {@link
 * #RESUME}, which are done at once.
 */
public enum WaveVerb implements Worded {
  LOAD("load"),
  TEST("test"),
  REFIT("refit"),
  CUTOVER("cutover"),
  FAILBACK("failback"),
  FAILOVER("failover"),
  RECONCILE("reconcile"),
  UNDO("undo"),
  PAUSE("pause"),
  RESUME("resume"),
  SETTLE("settle");

  private final String word;

  WaveVerb(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
