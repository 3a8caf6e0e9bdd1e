package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** A rule that gives a label. */
@Entity
@Table(name = "label_rule")
public class LabelRuleEntity {

  @Id public String id;

  /** Given by the database: of two rules the older has the lower one. */
  @Column(insertable = false, updatable = false)
  public long number;

  public String filter;

  public String name;

  public String value;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;
}
