package bargelane.service.move;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** The record of a finished move. */
@Entity
@Table(name = "dossier")
public class DossierEntity {

  @Id public String id;

  @Column(name = "run_id")
  public String runId;

  @Column(name = "tow_id")
  public String towId;

  public String kind;

  public Instant at;

  @JdbcTypeCode(SqlTypes.JSON)
  public String record;
}
