package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.function.Function;

/**
 * What the service answered: the JSON exactly as it came, for programs, and the record that it is,
 * for people. A field that this client does not know is in the JSON alone.
 */
public record Answer<T>(JsonNode json, T value) {

  /** A part of it, such as the items of a page. */
  public <R> Answer<R> part(String field, Function<T, R> part) {
    return new Answer<>(json.path(field), part.apply(value));
  }
}
