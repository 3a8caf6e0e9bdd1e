package bargelane.core.wave;

import bargelane.core.word.Worded;

/** What a wave is doing, in one word. */
public enum WaveState implements Worded {
  /** Nothing is replicated yet. */
  PLANNED("planned"),
  /** The first full pass runs: there is no recovery point yet. */
  LOADING("loading"),
  REPLICATING("replicating"),
  /** There are replicas, and no pass begins. */
  PAUSED("paused"),
  TESTING("testing"),
  /** Machines are being stopped at one site and started at the other. */
  MOVING("moving"),
  LANDED("landed"),
  /** After a failover: both sides may hold writes that the other has not. */
  DIVERGED("diverged"),
  SETTLING("settling"),
  SETTLED("settled");

  private final String word;

  WaveState(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
