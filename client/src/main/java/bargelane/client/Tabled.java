package bargelane.client;

/** A command that prints rows of one kind, so that it can print them as CSV too. */
public interface Tabled {

  /** Whether it does as it was called. */
  default boolean tabled() {
    return true;
  }
}
