package bargelane.service.http;

import bargelane.core.word.Worded;

/**
 * What of an endpoint is for an account whose roles are limited to some machines. What declares
 * nothing is for nobody who is limited.
 */
public enum Reach implements Worded {
  /** Nothing: it is about more than some machines. */
  NONE("none"),
  /** All of it: it is about no machine. */
  ALL("all"),
  /** The machine that its path names, if it is one of theirs. */
  MACHINE("own machines"),
  /** The wave that its path names, if all its machines are theirs. */
  WAVE("own waves"),
  /** The run that its path names, if it is of a wave that is theirs. */
  RUN("runs of own waves"),
  /** The approval that its path names, if it is of a wave that is theirs. */
  APPROVAL("approvals of own waves"),
  /** It gives them what is theirs, by {@link Request#machines()} or {@link Request#tows()}. */
  NARROWED("what is their own");

  private final String word;

  Reach(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }

  /** The part of the path that names the thing. */
  String part() {
    return switch (this) {
      case MACHINE -> "machine";
      case WAVE -> "wave";
      case RUN -> "run";
      case APPROVAL -> "approval";
      default -> "";
    };
  }
}
