package bargelane.service.move;

import jakarta.persistence.Column;
import jakarta.persistence.Embeddable;
import jakarta.persistence.EmbeddedId;
import jakarta.persistence.Entity;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.time.Instant;

/** The end of what the serial console told of a machine that a run started. */
@Entity
@Table(name = "run_console")
public class ConsoleEntity {

  /** A run and a member of its tow. */
  @Embeddable
  public record Key(
      @Column(name = "run_id") String runId, @Column(name = "member_id") String memberId)
      implements Serializable {}

  @EmbeddedId public Key key;

  /** The machine's name, and that of the site that it was started at. */
  public String machine;

  public String site;

  /** When it was last found changed. */
  public Instant at;

  public String text;
}
