package bargelane.service.run;

import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.JavaType;
import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.Function;

/**
 * One thing that a run remembers: its name in what is stored, and its type. Who remembers it and
 * who reads it, of the same run or of another, use the one constant, so that they can't differ.
 */
public final class Note<T> {

  private final String name;
  private final Function<JsonNode, T> read;
  private final Function<T, JsonNode> write;

  private Note(String name, Function<JsonNode, T> read, Function<T, JsonNode> write) {
    this.name = name;
    this.read = read;
    this.write = write;
  }

  public static <T> Note<T> of(String name, Class<T> type) {
    return new Note<>(
        name, node -> converted(node, Json.MAPPER.constructType(type)), Json.MAPPER::valueToTree);
  }

  /** A value for each of several things, such as the members of a tow, by their ids. */
  public static <T> Note<Map<String, T>> each(String name, Class<T> type) {
    JavaType map =
        Json.MAPPER.getTypeFactory().constructMapType(LinkedHashMap.class, String.class, type);
    return new Note<>(name, node -> converted(node, map), Json.MAPPER::valueToTree);
  }

  /** The same, each value stored as a text that holds JSON. */
  public static <T> Note<Map<String, T>> eachAsText(String name, TypeReference<T> type) {
    return new Note<>(
        name,
        node -> {
          Map<String, T> all = new LinkedHashMap<>();
          node.fields()
              .forEachRemaining(e -> all.put(e.getKey(), Json.read(e.getValue().asText(), type)));
          return all;
        },
        all -> {
          Map<String, String> texts = new LinkedHashMap<>();
          all.forEach((key, value) -> texts.put(key, Json.text(value)));
          return Json.MAPPER.valueToTree(texts);
        });
  }

  private static <T> T converted(JsonNode node, JavaType type) {
    try {
      return Json.MAPPER.treeToValue(node, type);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException("a note can't be read as " + type, e);
    }
  }

  public String name() {
    return name;
  }

  T read(JsonNode stored) {
    return read.apply(stored);
  }

  JsonNode write(T value) {
    return write.apply(value);
  }

  @Override
  public String toString() {
    return name;
  }
}
