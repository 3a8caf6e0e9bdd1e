package bargelane.service.platform;

import bargelane.core.word.Worded;
import jakarta.persistence.AttributeConverter;

/** Stores an enum as its word. Each enum that is stored has a small converter that extends this. */
public abstract class WordColumn<E extends Enum<E> & Worded>
    implements AttributeConverter<E, String> {

  private final Class<E> type;

  protected WordColumn(Class<E> type) {
    this.type = type;
  }

  @Override
  public String convertToDatabaseColumn(E value) {
    return value == null ? null : value.word();
  }

  @Override
  public E convertToEntityAttribute(String word) {
    return word == null ? null : Worded.of(type, word);
  }
}
