package bargelane.service.replication;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.DynamicUpdate;

/** A timetable by name. */
@Entity
@DynamicUpdate
@Table(name = "timetable")
public class TimetableEntity {

  @Id public String id;

  public String name;

  @Column(name = "every_seconds")
  public int everySeconds;

  @Column(name = "rpo_seconds")
  public int rpoSeconds;

  @Column(name = "keep_points")
  public int keepPoints;

  public boolean verify;

  public boolean quiesce;
}
