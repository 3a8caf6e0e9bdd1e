package bargelane.api;

import com.fasterxml.jackson.annotation.JsonCreator;
import com.fasterxml.jackson.annotation.JsonProperty;
import java.util.List;

/**
 * What mends something, or what comes next. A client words the action as a command or a link.
 *
 * @param advice in words; may be empty where the action says all
 * @param action its code, such as {@code wave-test}; empty if there is nothing but advice
 * @param arguments of the action, in the order that it takes them
 */
public record Remedy(String advice, String action, List<String> arguments) {

  /** Nothing is to be done. */
  public static final Remedy NONE = new Remedy("", "", List.of());

  public static Remedy advice(String advice) {
    return new Remedy(advice, "", List.of());
  }

  @JsonCreator(mode = JsonCreator.Mode.PROPERTIES)
  public static Remedy read(
      @JsonProperty("advice") String advice,
      @JsonProperty("action") String action,
      @JsonProperty("arguments") List<String> arguments) {
    return new Remedy(
        advice == null ? "" : advice,
        action == null ? "" : action,
        arguments == null ? List.of() : arguments);
  }

  /** One as it was stored when remedies were text. */
  @JsonCreator(mode = JsonCreator.Mode.DELEGATING)
  public static Remedy read(String text) {
    return advice(text);
  }

  /** Whether nothing is to be done. */
  public boolean none() {
    return advice.isEmpty() && action.isEmpty();
  }

  /** For logs and for programs that show text alone: the advice, or else the action's words. */
  public String words() {
    return advice.isEmpty() && !action.isEmpty()
        ? (action.replace('-', ' ') + " " + String.join(" ", arguments)).strip()
        : advice;
  }
}
